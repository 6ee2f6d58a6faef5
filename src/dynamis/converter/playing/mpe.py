"""One channel a voice: the zones of MPE, each key with a wheel, a pressure and a timbre of its own.

Source: MIDI Polyphonic Expression 1.0 (RP-053): a lower zone has channel 1 as its master and its members from 2
upwards, an upper one 16 and from 15 downwards; registered parameter 6 on the master says how many members there are;
wheels reach ± 48 semitones on members and ± 2 on the master until registered parameter 0 says otherwise, on any
member for all of them; pressure is channel pressure, timbre controller 74.  From memory.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from dynamis.converter.playing.controls import DATA_MSB, MODULATION, Parameter
from dynamis.converter.playing.performance import (
    Bend,
    Performance,
    bend_range_of,
    controller_of,
    play_keys,
    pressure_of,
    wheel_of,
)
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.voices import MOST_VOICES, VoiceRules, voices_for
from dynamis.errors import InputError

Zone = Literal["lower", "upper"]
MEMBER_SEMITONES, MASTER_SEMITONES, TIMBRE = 48.0, 2.0, 74
TIMBRE_REST: Final = 64.0
_MOST_MEMBERS: Final = 15
_CONFIGURATION: Final = 6


@dataclass(frozen=True)
class ZoneChannels:
    """master, members : channels from 1 to 16, the members in the order in which they are used."""

    master: int
    members: tuple[int, ...]


class MemberCount:
    """How many members a zone has, as the controllers of its master say; all 15 until they do."""

    def __init__(self) -> None:
        self.count = _MOST_MEMBERS
        self._parameter = Parameter()

    def control(self, controller: int, value: int) -> bool:
        """Take a controller of the master; whether it was one that says how many members there are."""
        if self._parameter.choose(controller, value) or controller != DATA_MSB:
            return False
        if self._parameter.number != _CONFIGURATION:
            return False
        self.count = min(value, _MOST_MEMBERS)
        return True


def members_of(zone: Zone, count: int) -> ZoneChannels:
    """The channels of a zone of so many members."""
    if zone == "lower":
        return ZoneChannels(1, tuple(range(2, 2 + count)))
    return ZoneChannels(16, tuple(range(15, 15 - count, -1)))


def zone_of(song: Song, zone: Zone) -> ZoneChannels:
    """The channels of a zone, as the song's last configuration message has it; all 15 members where it has none.

    Raises `InputError` where the song has switched the zone off.
    """
    controls = (song.kinds == 0xB0) & (song.channels == members_of(zone, 0).master)
    members = MemberCount()
    for stamp in np.flatnonzero(controls).tolist():
        members.control(int(song.first_bytes[stamp]), int(song.second_bytes[stamp]))
    if members.count == 0:
        raise InputError(f"The song has switched the {zone} zone off (no member channels).")
    return members_of(zone, members.count)


def rules_of_members(rules: VoiceRules) -> VoiceRules:
    """By what rules each member plays its keys: one voice."""
    return replace(rules, voices=1)


def perform_zone(
    song: Song,
    zone: Zone,
    rules: VoiceRules = VoiceRules(),
    *,
    controllers: tuple[int, ...] = (MODULATION,),
) -> Performance:
    """Play a zone: each member channel that has notes is a voice, by its place among the members; eight at most.

    The pedal and the mode messages of the master count for all.  Raises `InputError` where no member has a note.
    """
    channels, where = song.channels, zone_of(song, zone)
    mine = np.isin(channels, where.members)
    used = [one for one in where.members if np.any(song.presses & (channels == one))]
    if not used:
        raise InputError(
            f"There is no note on the channels of the {zone} zone, {where.members[0]} to {where.members[-1]}."
        )
    master = channels == where.master
    bend = Bend(wheel_of(song, master), bend_range_of(song, master, MASTER_SEMITONES))
    reach = bend_range_of(song, mine, MEMBER_SEMITONES)
    one_key = rules_of_members(rules)
    tracks, pressures, timbres = [], [], []
    bends: list[tuple[Bend, ...]] = []
    for channel in used[:MOST_VOICES]:
        own, voice = channels == channel, voices_for(one_key)
        play_keys(voice, song, own | (master & (song.kinds == 0xB0)))
        tracks.append(voice.tracks[0])
        bends.append((bend, Bend(wheel_of(song, own), reach)))
        pressures.append(pressure_of(song, own))
        timbres.append(controller_of(song, own, TIMBRE, TIMBRE_REST))
    made = {number: controller_of(song, master, number) for number in controllers}
    left = int(np.sum(song.presses & np.isin(channels, used[MOST_VOICES:])))
    notes = int(np.sum(song.presses & mine))
    numbers = tuple(where.members.index(one) + 1 for one in used[:MOST_VOICES])
    return Performance(song, notes, tracks, bend, bends, made, numbers, pressures, timbres, left)
