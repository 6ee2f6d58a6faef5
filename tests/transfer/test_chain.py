"""The chain of the demo's link, its error budget, and a kind of transfer added from outside."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import numpy as np
import pytest

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.document.records import HeadRecord
from dynamis.demo.lantern import bench
from dynamis.errors import InputError
from dynamis.files.store import BenchFile
from dynamis.pitch.laws import ExponentialLaw
from dynamis.transfer.breakpoints import Breakpoints, Trajectory
from dynamis.transfer.chain import Chain
from dynamis.transfer.law import Oscillator, PitchSource, WantedPitch
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

NOTES = np.arange(36.0, 97.0)


@pytest.fixture
def chain():
    return link_chain(bench(), bench().links[0]).chain


def test_two_inputs_on_one_output_take_what_nodal_analysis_says(chain):
    # 1 kΩ into two inputs of 100 kΩ: 1/1.02, 1.96 % (derived; ngspice in test_net.py). At 5.2 V that is 122 cents.
    assert chain.error_cents([96.0], NOMINAL)[0] == pytest.approx(-1200 * 5.2 * (1 - 1 / 1.02), abs=0.8)
    one = World(plugged=frozenset({"gallery-voice.pitch-1"}))
    assert chain.error_cents([96.0], one)[0] == pytest.approx(-1200 * 5.2 * (1 - 1 / 1.01), abs=0.8)


def test_the_trace_has_a_value_at_every_scale(chain):
    values = chain.trace([60.0])
    assert [scale.kind for scale in chain.scales] == ["note", "code", "volts", "volts", "octaves"]
    assert [float(v[0]) for v in values] == pytest.approx([60, 1630, 2.2005, 2.15735, np.log2(254.0)], rel=1e-5)


def test_the_budget_weighs_the_reference_and_not_the_head(chain):
    shares = {share.source: share for share in chain.budget(NOTES)}
    # 0.5 % of a reference is 6 cents per octave above 0 V: 31 at 5.2 V (derived).
    reference = shares["workshop-board.pitch-a.dac.reference"]
    assert reference.worst_cents == pytest.approx(1200 * 5.2 * 0.005 / 1.02, rel=1e-3)
    assert reference.standard_cents[-1] == pytest.approx(reference.worst_cents / np.sqrt(3))
    assert shares["design"].worst_cents == pytest.approx(122.35, abs=0.01)
    steps = shares["workshop-board.pitch-a.head/steps"]
    assert 0.7 < steps.worst_cents <= 0.81
    assert [share.worst_cents for share in chain.budget(NOTES)] == sorted(
        (s.worst_cents for s in shares.values()), reverse=True
    )


def test_drift_is_a_share_of_its_own_when_it_is_warm(chain):
    shares = {share.source: share for share in chain.budget(NOTES, World(celsius=35.0))}
    # 50 ppm/K over 10 K is 0.05 %: a tenth of the reference's 0.5 %.
    drift, reference = (shares[f"workshop-board.pitch-a.dac.reference{end}"].worst_cents for end in ("/drift", ""))
    assert drift == pytest.approx(reference / 10, rel=1e-2)


def test_a_spread_is_one_call_and_equals_single_worlds(chain):
    draws = np.random.default_rng(1).uniform(-1, 1, (50, 1))
    source = "workshop-board.pitch-a.dac.reference"
    together = chain.error_cents(NOTES, World({source: draws}))
    assert together.shape == (50, NOTES.size)
    assert together[7] == pytest.approx(chain.error_cents(NOTES, World({source: float(draws[7, 0])})))


def test_constants_take_the_reference_out_in_the_world_they_were_measured_in():
    made = link_chain(bench(), bench().links[0], HeadRecord("constants", offset=0.0011, gain=0.9963))
    jack = made.chain.trace(NOTES, made.true)[2]
    assert jack == pytest.approx(0.2 + (NOTES - 36) / 12, abs=0.7e-3)


def test_a_chain_whose_quantities_do_not_meet_is_refused(chain):
    head, *_, last = chain.transfers
    with pytest.raises(InputError, match=r"gives code but .* takes volts"):
        Chain((head, last), WantedPitch())
    with pytest.raises(InputError, match="needs at least one"):
        Chain((), WantedPitch())
    twice = Oscillator("o", last.law)
    with pytest.raises(InputError, match="octaves but o takes volts"):
        Chain((twice, twice), WantedPitch())


def test_a_link_says_what_is_missing():
    made = bench()
    port = msgspec.structs.replace(made.gear[1].ports[0], ohms=None)
    voice = msgspec.structs.replace(made.gear[1], ports=(port, made.gear[1].ports[1]))
    unknown = msgspec.structs.replace(made, gear=(made.gear[0], voice))
    answer = link_chain(unknown, unknown.links[0])
    assert answer.chain is None
    assert answer.sentence == "Cannot tell until you measure the resistance of Gallery voice · pitch 1."


@dataclass(frozen=True)
class Shifter:
    """A kind of transfer this program does not ship: volts moved by an offset with a tolerance."""

    id: str
    volts: float
    limit: float
    believes: bool = False
    input = Quantity("volts", "before the shifter")
    output = Quantity("volts", "behind the shifter")

    def parameters(self):
        return (
            Parameter(f"{self.id}.volts", "Shift", "V", self.volts, self.limit, False, "normal", f"{self.id}.volts"),
        )

    def forward(self, x, world):
        return np.asarray(x, float) + self.parameters()[0].value(world)

    exact = forward

    def backward(self, y, world):
        x = np.asarray(y, float) - self.parameters()[0].value(world)
        return Reached(x, np.full(x.shape, Reason.EXACT, np.int8))

    def limits(self, world):
        return np.array(-np.inf), np.array(np.inf)


@pytest.fixture
def shifter_kind():
    REGISTRY.register("shifter", 1, lambda transfer_id, values: Shifter(transfer_id, **values))
    yield
    REGISTRY.forget("shifter")


def with_shifter():
    made = bench()
    link = msgspec.structs.replace(
        made.links[0], between=(StoredTransfer("shifter", 1, {"volts": 0.05, "limit": 0.003}),)
    )
    return msgspec.structs.replace(made, links=(link,))


def test_an_added_kind_draws_budgets_samples_saves_and_reopens(shifter_kind, tmp_path, make_window):
    made = with_shifter()
    with BenchFile.create(tmp_path / "b.dynamis", made) as first:
        assert first.bench() == made
    reopened = BenchFile.open(tmp_path / "b.dynamis")
    chain = link_chain(reopened.bench(), reopened.bench().links[0]).chain
    assert "behind the shifter" in [scale.label for scale in chain.scales]
    share = next(s for s in chain.budget(NOTES) if s.source == "board-to-gallery.0.volts")
    assert share.worst_cents == pytest.approx(1200 * 0.003 / 1.02, rel=1e-6)
    assert share.standard_cents[0] == pytest.approx(share.worst_cents / 3)
    spread = chain.error_cents(NOTES, World({"board-to-gallery.0.volts": np.array([[-1.0], [1.0]])}))
    assert np.ptp(spread, axis=0) == pytest.approx(2 * share.worst_cents)
    window = make_window(reopened)
    window.show_station("Codes")
    window.session.selection.set_note(60)
    assert "behind the shifter 2.2505 V" in window.thread_strip.accessibleDescription()


def test_an_unknown_kind_is_kept_and_judged_cannot_tell(tmp_path, make_window):
    made = with_shifter()
    made_file = BenchFile.create(tmp_path / "b.dynamis", made)
    answer = link_chain(made, made.links[0])
    assert answer.chain is None
    assert "'shifter', which this program does not know" in answer.sentence
    window = make_window(made_file)
    window.show_station("Codes")
    assert "nothing can be told about the link" in window.thread_strip.accessibleDescription()
    assert window.session.bench.links[0].between == made.links[0].between
    with pytest.raises(InputError, match="is kept as it is"):
        REGISTRY.make("x", made.links[0].between[0])


def test_the_registry_refuses_doubles_and_incomplete_values():
    with pytest.raises(InputError, match="registered already"):
        REGISTRY.register("dac", 1, lambda *_: None)
    with pytest.raises(InputError, match="not complete"):
        REGISTRY.make("x", StoredTransfer("dac", 1, {"bits": 12}))
    assert not REGISTRY.knows(StoredTransfer("dac", 99, {}))
    whole = {"bits": 12, "low_volts": 0.0, "high_volts": 5.0}
    assert REGISTRY.make("x", StoredTransfer("dac", 1, whole)).limits(NOMINAL) is not None
    wrong = ({"bits": "12"}, {"bits": 12.5}, {"gain": "1"}, {"gain": True}, {"reference_limit": -0.1}, {"gain": 1e14})
    for values in wrong:
        with pytest.raises(InputError, match=r"does not belong there|bits"):
            REGISTRY.make("x", StoredTransfer("dac", 1, {**whole, **values}))


@pytest.mark.parametrize("kind", ["oscillator", "pitch-source"])
def test_what_is_stored_has_the_version_that_is_known(kind):
    stored = StoredTransfer(kind, 1, {"law": "voct:scale=1,note=36,volts=0"})
    assert REGISTRY.make("x", stored).stored().version == 1
    assert not REGISTRY.knows(StoredTransfer(kind, 2, stored.values))


def test_a_parameter_that_stands_twice_is_named():
    law = ExponentialLaw(1, 36, 0.2)
    source = PitchSource("s", law, scale_limit=0.01, offset_limit_volts=0.001)
    twice = Oscillator("s", law, scale_limit=0.01)
    other = {one.id for one in twice.parameters()}
    first = next(one.id for one in source.parameters() if one.id in other)
    with pytest.raises(InputError, match=f"The parameter {first} stands twice"):
        Chain((source, twice), WantedPitch())


def test_a_signal_is_held_ramped_or_decays_between_its_breakpoints():
    kinds = np.array([Trajectory.HELD, Trajectory.RAMPED, Trajectory.DECAYING], np.int8)
    signal = Breakpoints(np.array([0.0, 1.0, 2.0]), np.array([0.0, 1.0, 3.0]), kinds, np.full(3, 0.0), np.full(3, 0.08))
    # an AC-coupled path of 80 ms is down to 37 % after 80 ms (derived: 1/e)
    assert signal.at(np.array([-1.0, 0.5, 1.5, 2.0, 2.08])) == pytest.approx(
        [np.nan, 0.0, 2.0, 3.0, 3 / np.e], nan_ok=True
    )
    for seconds, kind, more, word in (
        ([1.0, 1.0], 0, (), "have to rise"),
        ([1.0, 2.0, 3.0], 0, (), "one value and one kind"),
        ([1.0, 2.0], 2, (), "needs a target"),
        ([1.0, 2.0], 2, (np.zeros(2), np.zeros(2)), "above 0"),
    ):
        with pytest.raises(InputError, match=word):
            Breakpoints(np.array(seconds), np.zeros(2), np.full(2, kind, np.int8), *more)
