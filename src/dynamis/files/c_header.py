"""A correction as a C header: constants, table, the arithmetic, and test vectors; it needs nothing besides.

The arithmetic is `firmware/pitch_code.h` as it stands, so that what is built from the header, from the
firmware and in Python come to the same code for every note and bend.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from importlib.resources import files
from typing import Final

import numpy as np

from dynamis.converter.firmware import BoardCorrection, pitch_steps
from dynamis.notation.safe import ascii_line, comment

# Notes and bends that a build can check itself with: whole notes, and some of a bend of two semitones.
_VECTOR_BENDS: Final = (8192, 0, 5003, 12345)
_BEND_SEMITONES: Final = 2
_A_LINE: Final = 12
_MOST_NAME: Final = 60


def arithmetic_text() -> str:
    """The note-to-code arithmetic in C, as the firmware has it."""
    return (files("dynamis.files") / "pitch_code.h").read_text(encoding="utf-8")


def c_name(*parts: str) -> str:
    """A name that C takes, made of parts."""
    name = re.sub(r"[^a-z0-9]+", "_", ascii_line("_".join(parts)).lower()).strip("_")[:_MOST_NAME] or "channel"
    return name if name[0].isalpha() else f"n{name}"


def vector_pitches(notes: Sequence[int]) -> np.ndarray:
    """The pitches of the test vectors, inside 0 … 128 semitones, each once."""
    bends = [(bend - 8192) * _BEND_SEMITONES for bend in _VECTOR_BENDS]
    every = np.array(sorted({int(pitch_steps(note)) + bend for note in notes for bend in bends}), np.int64)
    return every[(every >= 0) & (every < 128 * 8192)]


def c_header(
    correction: BoardCorrection, bits: int, *, prefix: str, sentences: Sequence[str], notes: Sequence[int]
) -> str:
    """The header.

    Parameters
    ----------
    correction : what is exported.  bits : of the converter.
    prefix : a C name that everything but the arithmetic begins with.
    told : lines that say what this is, for the comment on top.
    notes : whole notes that the test vectors are about.
    """
    guard = f"{prefix.upper()}_CORRECTION_H"
    table = correction.sixteenths or (0,)
    pitches = vector_pitches(notes)
    codes = correction.codes(pitches, bits)
    vectors = [f"{{{pitch}, {code}u}}" for pitch, code in zip(pitches.tolist(), codes.tolist(), strict=True)]
    about = "\n".join(f" * {comment(line)}" for line in sentences)
    return f"""/* A correction for firmware, made by Dynamis.
{about}
 * Its hash is {correction.hash}.  Include this in one source file; {prefix}_code(pitch) gives the DAC code.
 */
#ifndef {guard}
#define {guard}

{arithmetic_text()}
#define {prefix.upper()}_BITS {bits}
#define {prefix.upper()}_MOST_CODE {2**bits - 1}u

static const int16_t {prefix}_sixteenths[{len(table)}] = {{
{_rows([str(one) for one in table])}
}};

static const struct dyn_correction {prefix}_correction = {{
    '{correction.law}', INT64_C({correction.base}), INT64_C({correction.scale}),
    {correction.first_note}, {len(correction.sixteenths)}, {prefix}_sixteenths
}};

/* The code of a pitch in 8192nds of a semitone; see dyn_pitch for notes and bends. */
static inline uint32_t {prefix}_code(int32_t pitch)
{{
    return dyn_code(&{prefix}_correction, pitch, {prefix.upper()}_MOST_CODE);
}}

/* Pitches and the codes that they have to come to: {prefix}_check() gives how many do not. */
static const struct {{ int32_t pitch; uint32_t code; }} {prefix}_vectors[{len(vectors)}] = {{
{_rows(vectors, 5)}
}};

static inline int {prefix}_check(void)
{{
    int wrong = 0;
    for (unsigned k = 0; k < sizeof {prefix}_vectors / sizeof {prefix}_vectors[0]; k++)
        wrong += {prefix}_code({prefix}_vectors[k].pitch) != {prefix}_vectors[k].code;
    return wrong;
}}

#endif
"""


def _rows(items: Sequence[str], each: int = _A_LINE) -> str:
    lines = [", ".join(items[k : k + each]) for k in range(0, len(items), each)]
    return ",\n".join(f"    {line}" for line in lines)
