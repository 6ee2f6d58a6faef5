"""What the thread says of a note: the scales of the current chain, one value each."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dynamis.bench.chains.link_chain import LinkChain
from dynamis.bench.chains.scale_words import value_words
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label
from dynamis.transfer.chain import Chain
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.quantity import Quantity
from dynamis.ui.widgets.thread_strip import ThreadField


def chain_fields(link_chain: LinkChain, note: float, style: Style) -> tuple[list[ThreadField], ThreadField | None]:
    """The note's value at every scale of a chain, the wish, and how far off it ends."""
    if link_chain.chain is None:
        return [ThreadField("note", note_label(note, style)), ThreadField("this link", link_chain.sentence)], None
    chain = link_chain.chain
    values = [float(one[0]) for one in chain.trace(np.array([note]), link_chain.true, NOMINAL)]
    wanted = float(chain.wanted.forward(np.array([note]), NOMINAL)[0])
    return traced_fields(chain, values, wanted, float(chain.error_cents(np.array([note]), link_chain.true)[0]), style)


def traced_fields(
    chain: Chain, values: Sequence[float], wanted: float, error: float, style: Style
) -> tuple[list[ThreadField], ThreadField]:
    """The same of values that are known: one for each scale, octaves that are wanted, cents off."""
    fields = [
        ThreadField(one.label, value_words(one, float(value), style))
        for one, value in zip(chain.scales, values, strict=True)
    ]
    fields.append(ThreadField("wanted", value_words(Quantity("octaves", ""), wanted, style)))
    return fields, ThreadField("off by", f"{style.cents(error, sign=True)} ct")
