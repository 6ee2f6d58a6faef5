"""Setting the trimmers of a converter of the law, and what is left of its errors."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import MID, TURNS
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import LEVEL_TRIMMER, SCALE_TRIMMER, TRIMMERS
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.thermal import ppm_per_kelvin
from dynamis.transfer.chain import varied
from dynamis.transfer.parameter import NOMINAL, World

FloatArray = NDArray[np.float64]
_MOST_ROUNDS: Final = 6


@dataclass(frozen=True)
class ConverterErrors:
    """Cents over the notes, shape (49,): with nominal parts, in the worst case, as a root sum of squares (k = 2); and
    how much each part adds at its limit, the most first."""

    nominal: FloatArray
    worst: FloatArray
    rss: FloatArray
    shares: tuple[tuple[str, float], ...]

    @property
    def most(self) -> float:
        return float(self.worst.max())


def trim(converter: Converter, requirement: LawRequirement) -> Converter:
    """The converter with its trimmers where nominal parts are best: the bend is shared between the ends and the
    middle."""
    ends = np.array([requirement.in_low_volts, requirement.in_high_volts])
    right = _set(converter, requirement, ends, np.zeros(2))
    bend = requirement.cents(right, requirement.volts())
    return _set(converter, requirement, ends, np.full(2, -(bend.max() + bend.min()) / 2.0))


def _set(converter: Converter, requirement: LawRequirement, sends: FloatArray, aims: FloatArray) -> Converter:
    """The trimmers where two input volts are off by so many cents, or as near as their travel goes."""
    travel = {SCALE_TRIMMER: MID, LEVEL_TRIMMER: MID}

    def off(at: Mapping[str, float]) -> FloatArray:
        return requirement.cents(replace(converter, travel=tuple(at.items()), trimmed=False), sends) - aims

    for _ in range(6):
        now = off(travel)
        steps_to = {name: 1e-4 if at < MID else -1e-4 for name, at in travel.items()}  # inside the travel
        moved = [(off({**travel, name: travel[name] + by}) - now) / by for name, by in steps_to.items()]
        # Parts far from any law leave a trimmer that moves nothing: it stays where it is.
        moves, *_ = np.linalg.lstsq(np.column_stack(moved), -now, rcond=1e-9)
        travel = {name: float(np.clip(travel[name] + move, 0.0, 1.0)) for name, move in zip(travel, moves, strict=True)}
        if np.abs(moves).max() < 1e-9:
            break
    return replace(converter, travel=tuple(travel.items()))


def with_part(converter: Converter, requirement: LawRequirement, name: str, ohms: float) -> Converter:
    """The converter with a resistor or a trimmer of other ohms, set anew."""
    parts = converter.parts
    if name in TRIMMERS:
        return trim(replace(converter, parts=replace(parts, trimmers={**parts.trimmers, name: ohms})), requirement)
    return trim(replace(converter, parts=replace(parts, ohms={**parts.ohms, name: ohms})), requirement)


def ordinary(converter: Converter) -> Converter:
    """The same with an ordinary R5."""
    return replace(converter, parts=replace(converter.parts, base_ppm=0.0))


def drift(converter: Converter, requirement: LawRequirement, kelvin: float) -> tuple[float, float]:
    """Cents by which the lowest and the highest note move when it is so much warmer."""
    ends = [requirement.in_low_volts, requirement.in_high_volts]
    low, high = requirement.cents(converter, ends, warmer(kelvin)) - requirement.cents(converter, ends)
    return float(low), float(high)


def warmer(kelvin: float) -> World:
    """So much warmer than the room."""
    return replace(NOMINAL, celsius=NOMINAL.celsius + kelvin)


def exact_ppm(converter: Converter) -> float:
    """What R5 would have to grow by so that temperature moves nothing, parts per million and kelvin."""
    ohms, at = converter.parts.ohms, dict(converter.travel).get(SCALE_TRIMMER, MID)
    drive = ohms["R4"] + at * converter.parts.trimmers[SCALE_TRIMMER]
    return float(ppm_per_kelvin(NOMINAL.celsius)) * (1.0 + ohms["R5"] / drive)


def left(converter: Converter, requirement: LawRequirement) -> ConverterErrors:
    """How far a converter is off over the notes; where it is trimmed, what trimming leaves."""
    volts = requirement.volts()
    nominal = requirement.cents(converter, volts)
    worst, squares, shares = np.abs(nominal), np.zeros(volts.size), []
    for _, label, fraction, moved in varied([converter], volts, NOMINAL):
        off = requirement.off(moved, volts) - nominal
        worst, squares = worst + np.abs(off), squares + (fraction * off) ** 2
        shares.append((label, float(off[np.abs(off).argmax()])))
    shares.sort(key=lambda one: -abs(one[1]))
    return ConverterErrors(nominal, worst, 2.0 * np.sqrt(squares), tuple(shares))


@dataclass(frozen=True)
class ConverterStep:
    """Send `send_volts` and turn the trimmer until the input gets `read_volts`, which is `aim_cents` off so that the
    bend is shared; a turn moves that by `volts_per_turn` and the note by `cents_per_turn`.  reach_cents, needed_cents :
    ±, how far it goes and what the worst parts need."""

    trimmer: str
    send_volts: float
    read_volts: float
    aim_cents: float
    volts_per_turn: float
    cents_per_turn: float
    reach_cents: float
    needed_cents: float


@dataclass(frozen=True)
class ConverterWalk:
    """steps : one round, the level first.  rounds : how many the worst parts need.  left_cents : what is then left."""

    steps: tuple[ConverterStep, ConverterStep]
    rounds: int
    left_cents: float


def steps(converter: Converter, requirement: LawRequirement) -> tuple[ConverterStep, ConverterStep]:
    """What to send and to read: the level at the note where the scale does least, the scale at the end furthest from
    there."""
    bare = replace(converter, trimmed=False)
    pivot, far = (float(one) for one in requirement.sends(_places(bare, requirement)))
    level, scale = (float(np.abs(one).sum()) for one in _pushed(bare, requirement, pivot, far)[1])
    return _step(bare, requirement, LEVEL_TRIMMER, pivot, level), _step(bare, requirement, SCALE_TRIMMER, far, scale)


def _places(converter: Converter, requirement: LawRequirement) -> FloatArray:
    """Octaves above the lowest note: of the note nearest to the pivot, and of the end furthest from there."""
    place = (converter.pivot_volts - requirement.sides[0][0]) / requirement.volts_per_octave
    middle = min(max(round(12.0 * place) / 12.0, 0.0), requirement.octaves)
    return np.array([middle, max((requirement.octaves, 0.0), key=lambda octaves: abs(octaves - middle))])


def walk(converter: Converter, requirement: LawRequirement) -> ConverterWalk:
    """How the trimmers are set, and how far that gets with the worst parts."""
    bare, turns = replace(converter, trimmed=False), steps(converter, requirement)
    rounds, most = 0, 0.0
    sources, pushes = _pushed(bare, requirement, *(one.send_volts for one in turns))
    for pushed in pushes:
        took, off = _turned(bare, requirement, turns, World(dict(zip(sources, np.sign(pushed), strict=True))))
        rounds, most = max(rounds, took), max(most, off)
    return ConverterWalk(turns, rounds, most)


def _pushed(
    converter: Converter, requirement: LawRequirement, pivot: float, far: float
) -> tuple[list[str], FloatArray]:
    """What varies, and the cents by which each at its limit moves the pivot, and stretches the notes from there to the
    far end; shape (2, sources)."""
    volts = np.array([pivot, far])
    nominal, every = requirement.cents(converter, volts), list(varied([converter], volts, NOMINAL))
    effects = np.array([requirement.off(moved, volts) - nominal for *_, moved in every])
    return [one[0] for one in every], np.array([effects[:, 0], effects[:, 1] - effects[:, 0]])


def _at(converter: Converter, name: str, travel_share: float) -> Converter:
    return replace(converter, travel=tuple({**dict(converter.travel), name: travel_share}.items()))


def _step(
    converter: Converter, requirement: LawRequirement, name: str, send_volts: float, needed_volts: float
) -> ConverterStep:
    set_to = dict(converter.travel).get(name, MID)
    low, middle, high = (float(requirement.cents(_at(converter, name, at), send_volts)) for at in (0.0, set_to, 1.0))
    places = max(0.0, set_to - 0.01), min(1.0, set_to + 0.01)
    beside, turns = [_at(converter, name, one) for one in places], TURNS * (places[1] - places[0])
    near = [float(one.exact(send_volts, NOMINAL)) for one in beside]
    cents = [float(requirement.cents(one, send_volts)) for one in beside]
    per_turn = (near[1] - near[0]) / turns
    read = float(converter.exact(send_volts, NOMINAL))
    return ConverterStep(
        name,
        send_volts,
        read,
        middle,
        per_turn,
        (cents[1] - cents[0]) / turns,
        min(abs(low - middle), abs(high - middle)),
        needed_volts,
    )


def _turned(
    converter: Converter,
    requirement: LawRequirement,
    converter_steps: tuple[ConverterStep, ConverterStep],
    world: World,
) -> tuple[int, float]:
    """Rounds until another one changes little, and the worst note then, cents."""
    turned = replace(converter, travel=tuple(dict.fromkeys(TRIMMERS, MID).items()))
    rounds, most = 0, float("inf")
    while rounds < _MOST_ROUNDS:
        for step in converter_steps:
            for _ in range(5 if step.cents_per_turn else 0):
                at = dict(turned.travel)[step.trimmer]
                off = float(requirement.off(turned.exact(step.send_volts, world), step.send_volts)) - step.aim_cents
                turned = _at(turned, step.trimmer, float(np.clip(at - off / (step.cents_per_turn * TURNS), 0.0, 1.0)))
        rounds += 1
        now = float(np.abs(requirement.cents(turned, requirement.volts(), world)).max())
        if now <= 0.1 * requirement.tolerance_cents or now > 0.9 * most:
            return rounds, min(now, most)
        most = now
    return rounds, most
