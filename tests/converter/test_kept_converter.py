"""What the converter gives, kept; see `tests/keeping.py`."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from tests.keeping import attempt, hold

from dynamis.converter import codes, coding, firmware, heads, linearity, uses
from dynamis.converter.coarse_fine import CoarseFine
from dynamis.converter.dac import Dac, floor_bound_lsb
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.pitch import ExponentialLaw, LinearLaw
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.parameter import NOMINAL, World

BENT = tuple(float(one) for one in np.round(np.sin(np.arange(16) * 1.7), 2))
DACS = {
    "plain": Dac(12, 0, 5),
    "board": Dac(12, 0, 4.096, 1.35, 0.1, floor_volts=0.03, ceiling_volts=5.4),
    "downwards": Dac(10, 0, 4.096, -2.5, 5.12, floor_volts=-5.0, ceiling_volts=5.0),
    "bent": Dac(4, -1, 3, 1.5, 0.2, inl_lsb=BENT),
    "bent buffer": Dac(4, 0, 4, inl_lsb=BENT, floor_volts=0.3, ceiling_volts=3.3),
    "one bit": Dac(1, 0, 1),
}
LAWS = (ExponentialLaw(1, 36, 0.2), ExponentialLaw(0.4, 60, 1.0), LinearLaw(36, 0.3, 0.05))
NOTES = np.array([24.0, 36.0, 36.5, 47.0, 60.0, 60.04, 72.0, 84.0, 96.0, 120.0])
VOLTS = np.array([-6.0, -1.0, -0.001, 0.0, 0.02, 0.0305, 0.3, 0.5001, 1.0, 2.345, 3.31, 4.99, 5.0, 5.5, np.nan])


def test_a_dac_gives_what_it_gave():
    made = {}
    for name, dac in DACS.items():
        every = np.arange(-1.0, dac.codes + 1.0, max(1, dac.codes // 7))
        made[name] = [
            dac,
            dac.codes,
            dac.step_volts,
            dac.lsb_volts,
            dac.reach_volts,
            dac.nominal_volts(every),
            dac.volts(np.clip(every, 0, dac.codes - 1)),
            dac.exact_code(VOLTS),
            dac.code_for(VOLTS),
            dac.code_for(VOLTS).clipped,
            dac.beyond_buffer(VOLTS),
        ]
    wrong = [
        attempt(lambda a=arguments: Dac(*a))
        for arguments in ((0, 0, 5), (25, 0, 5), (12, 5, 5), (12, 0, float("nan")), (12, 0, 5, 0))
    ]
    bent = [attempt(lambda b=bent: Dac(4, 0, 4, inl_lsb=b)) for bent in (BENT[:3], (float("nan"),) * 16)]
    known = [
        linearity.linearity(np.cumsum(1.0 + np.array(BENT) / 9.0)),
        linearity.is_monotonic(np.array([0.0, 1.0, 0.9])),
        linearity.is_monotonic(np.arange(4.0)),
        [floor_bound_lsb(dnl) for dnl in (0.0, 0.5, -1.0)],
    ]
    hold("converter_dac", [made, wrong, bent, known])


def test_heads_tables_and_boards_give_what_they_gave():
    made = {}
    for (name, dac), (k, law) in itertools.product(DACS.items(), enumerate(LAWS)):
        for quantity, tuning in (("volts", EqualTemperament()), ("hertz", EqualTemperament(432.0))):
            if quantity == "hertz" and k < 2:
                continue
            constants = ConstantsHead("h", law, dac, 0.013, 0.987, quantity, tuning)
            table = TableHead("t", constants, 36, tuple(int(one) for one in np.round(20 * np.sin(np.arange(20)))))
            model = PitchModel(law, "volts", tuning)
            made[f"{name} {k} {quantity}"] = [
                constants.aim_volts(NOTES),
                constants.forward(NOTES, NOMINAL),
                constants.exact(NOTES, NOMINAL),
                constants.limits(NOMINAL),
                constants.backward(np.arange(0.0, dac.codes, max(1, dac.codes // 5)), NOMINAL),
                constants.believed_volts(np.array([0.5, 2.0])),
                table.forward(NOTES, NOMINAL),
                table.exact(NOTES, NOMINAL),
                table.moved(NOTES),
                table.limits(NOMINAL),
                table.backward(np.arange(0.0, dac.codes, max(1, dac.codes // 5)), NOMINAL),
                table.believed_volts(NOTES[1:5], np.array([1.0, 2, 3, 4])),
                table.notes,
                heads.aimed_codes(constants, NOTES),
                attempt(lambda c=constants: heads.sixteenths_of(c, NOTES[1:4], np.array([1.0, 2.0, 3.5]))),
                heads.inl_behind(table) if dac.bits < 12 else None,
                codes.code_table(dac, model, NOTES),
                codes.unit_floor_cents(dac, model, NOTES[1:6]),
                attempt(
                    lambda c=constants, t=table: [
                        (b, b.text, b.hash, b.codes(firmware.pitch_steps(NOTES), 12))
                        for b in (firmware.board_correction(c), firmware.board_correction(t))
                    ]
                ),
            ]
    large = replace(ConstantsHead("h", LAWS[0], DACS["plain"]), gain=1e-12)
    limits = [
        attempt(lambda: firmware.board_correction(large)),
        *(
            attempt(lambda s=sixteenths: TableHead("t", ConstantsHead("h", LAWS[0], DACS["plain"]), 36, s))
            for sixteenths in ((32767,), (32768,), (-32768,), (-32769,), ())
        ),
    ]
    bases = [
        attempt(lambda b=base: firmware.BoardCorrection("E", b, 1))
        for base in (2**39 - 1, 2**39, 2**40, -(2**40), 2**47, 2**48)
    ]
    tables = [
        attempt(lambda first=first, count=count: firmware.BoardCorrection("E", 0, 1, first, (1,) * count))
        for first, count in ((0, 0), (1, 0), (-1, 2), (0, 128), (0, 129), (127, 1), (127, 2))
    ]
    scales = [
        attempt(lambda law=law, scale=scale: firmware.BoardCorrection(law, 0, scale))
        for law in ("E", "L", "X")
        for scale in (firmware.MOST_SLOPE - 1, firmware.MOST_SLOPE, firmware.MOST_SWING - 1, firmware.MOST_SWING)
    ]
    ends = [
        firmware.BoardCorrection(law, 30 << 32, 7 << 20, 60, (20000, -20000)).codes(
            [-5000, 0, 61440, 62464, 131072, 200000], 12
        )
        for law in ("E", "L")
    ]
    hold("converter_heads", [made, limits, bases, tables, scales, ends])


def test_transfers_codings_and_uses_give_what_they_gave():
    worlds = (NOMINAL, World({"d.reference": 0.7, "d.offset": -0.4, "d.inl": 0.3}, celsius=35.0))
    moved = {}
    for name, dac in DACS.items():
        one = DacTransfer("d", dac, "jack", 0.005, 0.003, 0.5, 50.0)
        every = np.arange(-1.0, dac.codes + 1.0, max(1, dac.codes // 6))
        moved[name] = [
            [one.forward(every, world), one.exact(every, world), one.backward(VOLTS[:-1], world), one.limits(world)]
            for world in worlds
        ] + [one.parameters(), one.stored()]
    moved["bare"] = [DacTransfer("d", DACS["plain"]), DacTransfer("d", DACS["plain"]).limits(worlds[1])]
    coded = [
        [
            attempt(lambda c=name: coding.words(np.array([0, 1, 5, 7, 8, 15]), 4, c)),
            attempt(lambda c=name: coding.codes_of(np.array([0, 1, 5, 7, 8, 15]), 4, c)),
        ]
        for name in (*coding.CODINGS, "none")
    ]
    used = [
        uses.judge_uses(bits, step, inl, allowed, levels)
        for bits in (8, 12, 16)
        for step in (0.0, 0.3, 4.0, 20.0)
        for inl in (0.0, 1.0)
        for allowed in (1.0, 5.0, float("inf"))
        for levels in (0.0, 100.0, 300.0, 5000.0)
    ]
    two = CoarseFine(Dac(8, 0, 5), Dac(8, 0, 5), 1 / 200)
    summed = [
        two,
        two.step_volts,
        two.fine_span_volts,
        two.as_bits,
        [two.needed_span_volts(one) for one in (0.0, 0.5, 2.0)],
        [two.gapless(one) for one in (0.0, 0.1, 0.5, 2.0)],
        two.codes_for(VOLTS[3:12]),
        two.volts(np.array([3, 200]), np.array([7, 255])),
        attempt(lambda: CoarseFine(Dac(8, 0, 5), Dac(8, 0, 5), 0.0)),
    ]
    hold("converter_uses", [moved, coded, used, summed])
