"""MIDI out of a stream of bytes, against an independent reader and by the tables of MIDI 1.0."""

from __future__ import annotations

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.converter.midi_stream import (
    MOST_SYSEX,
    SYSEX,
    MidiMessage,
    MidiParser,
    note_off,
    note_on,
    silence,
)


def read(data: bytes) -> list[MidiMessage]:
    return list(MidiParser().feed(data))


def as_bytes(messages) -> list[bytes]:
    return [bytes([one.status]) + one.data + (b"\xf7" if one.status == SYSEX else b"") for one in messages]


# MIDI 1.0 Detailed Specification 4.2.1, Tables I to V and the section on running status; from memory.
CASES = [
    ("running status", "903c40 3e40 3e00", ["903c40", "903e40", "903e00"]),
    ("real time within a message", "90 f8 3c fe 40", ["f8", "fe", "903c40"]),
    ("real time keeps running status", "903c40 f8 3e40", ["903c40", "f8", "903e40"]),
    ("system common ends running status", "903c40 f243 21 3e40", ["903c40", "f24321"]),
    ("a broken message", "903c 803c40", ["803c40"]),
    ("data without a status", "3c40 c005", ["c005"]),
    ("exclusive", "f07e7f0901f7 f6", ["f07e7f0901f7", "f6"]),
    ("exclusive cut off", "f07e7f 903c40", ["903c40"]),
    ("an end without a beginning", "f7 f7 903c40", ["903c40"]),
    ("undefined ones", "f4 f5 fd 903c40", ["f4", "f5", "fd", "903c40"]),
    ("one byte of data", "d150 51", ["d150", "d151"]),
]


@pytest.mark.parametrize(("data", "messages"), [one[1:] for one in CASES], ids=[one[0] for one in CASES])
def test_messages_are_read_as_the_tables_have_them(data, messages):
    data = bytes.fromhex(data.replace(" ", ""))
    assert [one.hex() for one in as_bytes(read(data))] == messages
    assert as_bytes(
        m for byte in [MidiParser()] for k in range(len(data)) for m in byte.feed(data[k : k + 1])
    ) == as_bytes(read(data))


@given(
    st.lists(st.integers(0x80, 0xEF).flatmap(lambda s: st.tuples(st.just(s), st.integers(0, 127), st.integers(0, 127))))
)
def test_whole_messages_are_read_as_an_independent_reader_reads_them(messages):
    data = b"".join(bytes([status, a] if status & 0xE0 == 0xC0 else [status, a, b]) for status, a, b in messages)
    parser = mido.Parser()
    parser.feed(data)
    assert as_bytes(read(data)) == [bytes(one.bytes()) for one in parser]


@given(st.binary(max_size=200))
def test_any_bytes_give_whole_messages_and_none_too_many(data):
    parser = MidiParser()
    messages = list(parser.feed(data))
    assert all(byte < 128 for one in messages for byte in one.data)
    assert sum(len(one) for one in as_bytes(messages)) + parser.dropped <= 2 * len(data) + 1
    # Whatever came before, a note and its end are read.
    assert [(one.sounds, one.ends, one.channel) for one in parser.feed(note_on(16, 60) + note_off(16, 60))][-2:] == [
        (True, False, 16),
        (False, True, 16),
    ]


def test_an_exclusive_message_without_an_end_is_given_up():
    parser = MidiParser()
    assert list(parser.feed(b"\xf0" + bytes(MOST_SYSEX + 10))) == []
    assert parser.dropped > MOST_SYSEX
    assert [one.kind for one in parser.feed(silence(1))] == [0xB0] * 3
    assert read(b"\x90\x3c\x00")[0].ends


def test_a_message_is_whole_again_as_bytes():
    sent = bytes.fromhex("90 3c 64 f0 7d 01 02 f7 f8 c1 05 f2 10 02")
    assert b"".join(one.raw for one in MidiParser().feed(sent)) == sent
