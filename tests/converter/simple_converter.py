"""A second converter of one voice, as simple as can be: all that was pressed is gone through anew at each message."""

from __future__ import annotations

from dynamis.converter.playing.rendering import ConverterSetting, render_song


def state_after(messages, priority, trigger):
    """Per message: (sounding note or None, gate, fires, velocity or None), from a list of presses kept as it grew."""
    order, down, held, pedal, sounding, velocity, states = [], set(), set(), False, None, None, []
    for kind, first, second in messages:
        pressed = None
        if kind == 0x90 and second > 0:
            order = [one for one in order if one != first] + [first]
            down.add(first)
            held.discard(first)
            pressed = first
        elif kind in (0x80, 0x90):
            if first in down:
                down.discard(first)
                if pedal:
                    held.add(first)
        elif kind == 0xB0 and first == 64:
            pedal = second >= 64
            if not pedal:
                held.clear()
        elif kind == 0xB0 and first == 120:
            down.clear()
            held.clear()
        elif kind == 0xB0 and first == 121:
            pedal = False
            held.clear()
        elif kind == 0xB0 and first >= 123:
            if pedal:
                held |= down
            down.clear()
        order = [one for one in order if one in down or one in held]
        now = None
        if order:
            now = {"last": order[-1], "first": order[0], "low": min(order), "high": max(order)}[priority]
        fires = pressed is not None if trigger == "every-press" else now is not None and now != sounding
        if pressed is not None and now == pressed:
            velocity = second
        sounding = now
        states.append((now, now is not None, fires, velocity))
    return states


def changes(seconds, values, start):
    """Rows (seconds, value): of one instant the last, none that repeats."""
    by_instant = {0.0: start}
    for when, value in zip(seconds, values, strict=True):
        by_instant[when] = value
    rows = []
    for when in sorted(by_instant):
        if not rows or by_instant[when] != rows[-1][1]:
            rows.append((when, by_instant[when]))
    return rows


def expected_signals(song, channel, setting):
    """Rows of pitch (as notes), gate, trigger and velocity by the simple converter."""
    rows = [
        (when, int(kind), int(first), int(second))
        for when, kind, number, first, second in zip(
            song.seconds, song.kinds, song.channels, song.first_bytes, song.second_bytes, strict=True
        )
        if number == channel and kind in (0x80, 0x90, 0xB0)
    ]
    times = [float(row[0]) for row in rows]
    states = state_after([row[1:] for row in rows], setting.rules.priority, setting.rules.fires_on)
    note, velocity, notes, velocities = None, None, [], []
    for now, _, _, struck in states:
        note = note if now is None else now
        velocity = struck
        notes.append(note)
        velocities.append(velocity)
    first_note = next(one for one in notes if one is not None)
    first_velocity = next(one for one in velocities if one is not None)
    notes = [first_note if one is None else one for one in notes]
    velocities = [first_velocity if one is None else one for one in velocities]
    spans = []
    for when, state in zip(times, states, strict=True):
        if state[2]:
            if spans and when <= spans[-1][1]:
                spans[-1][1] = when + setting.trigger_seconds
            else:
                spans.append([when, when + setting.trigger_seconds])
    edges = [edge for rise, fall in spans for edge in ((rise, 5.0), (fall, 0.0))]
    return {
        "pitch": changes(times, notes, first_note),
        "gate": changes(times, [5.0 * state[1] for state in states], 0.0),
        "trigger": changes(*zip(*edges, strict=True), 0.0) if edges else [(0.0, 0.0)],
        "velocity": changes(times, velocities, first_velocity),
    }


def differences(song, channel, priority="last", fires_on="every-press"):
    """Where the converter and the simple one differ; empty where they agree."""
    from dynamis.converter.playing.voices import VoiceRules

    setting = ConverterSetting(channel=channel, rules=VoiceRules(1, priority, fires_on=fires_on))
    rendered, wanted = render_song(song, setting), expected_signals(song, channel, setting)
    volts = {"pitch": lambda note: (note - 36.0) / 12.0, "velocity": lambda value: 5.0 * value / 127.0}
    found = []
    for name, rows in wanted.items():
        steps = rendered.signal(name).steps
        of = volts.get(name, lambda value: value)
        got = list(zip(steps.seconds.tolist(), steps.volts.tolist(), strict=True))
        wanted_rows = [(when, of(value)) for when, value in rows]
        off = [k for k, (one, two) in enumerate(zip(got, wanted_rows, strict=False)) if max(abs(one[0] - two[0]), abs(one[1] - two[1])) > 1e-9]  # fmt: skip
        if off or len(got) != len(wanted_rows):
            found.append((name, off[:1], len(got), len(wanted_rows)))
    return found
