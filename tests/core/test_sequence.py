"""The precharge's sequence as its steps are set, its contacts, and the same block for any bus."""

import re

import pytest

from rhombos.core.blocks import precharge
from rhombos.core.design.pins import PinError
from rhombos.core.design.rules import PRESETS
from rhombos.core.parts import Resistor
from rhombos.core.precharge import march
from rhombos.core.precharge.table import state_table_c, state_table_csv
from rhombos.core.precharge.tool import Bus, build_for, see, sequence_file

USUAL = PRESETS["usual"]
SET = {
    "precharge.wakes": 0.7,
    "precharge.joins": 0.3,
    "precharge.closing": 0.12,
    "precharge.releasing": 0.25,
    "precharge.empty_below": 0.05,
}


@pytest.fixture(scope="module")
def set_by_hand(shelf):
    bus = Bus()
    return bus, build_for(bus, SET, shelf, USUAL)


def test_each_step_lasts_as_it_is_set(set_by_hand, shelf):
    bus, build = set_by_hand
    made = march(bus.need, build, shelf.get(Resistor, build.type))
    lasted = {s.state: s.end - s.begin for s in made.steps}
    assert lasted["control"] == pytest.approx(0.7)
    assert lasted["negative"] == pytest.approx(0.3)
    assert lasted["close"] == pytest.approx(0.12)
    assert lasted["release"] == pytest.approx(0.25)
    assert made.ended == "run"


def test_table_and_code_carry_the_same_times(set_by_hand):
    bus, build = set_by_hand
    table, code = state_table_csv(bus.need, build), state_table_c(bus.need, build)
    for seconds, state in ((0.7, "CONTROL"), (0.3, "NEGATIVE"), (0.12, "CLOSE"), (0.25, "RELEASE")):
        assert re.search(rf"^{state},.*after {seconds:g} s", table, re.M)
        assert f"#define {state}_MS {round(1e3 * seconds)}UL" in code
    assert "EMPTY_BELOW_PERMILLE 50" in code


def test_coils_never_overlap_wrongly(set_by_hand, shelf):
    """The positive contactor never closes on an empty bank; the relay lets go only after it has closed."""
    bus, build = set_by_hand
    made = march(bus.need, build, shelf.get(Resistor, build.type))
    first = next(s for s in made.steps if s.positive)
    before = made.steps[made.steps.index(first) - 1]
    assert before.relay
    assert first.relay
    time, volts = made.column("time"), made.column("bus")
    at_closing = volts[(time <= first.begin + 1e-9)][-1]
    assert at_closing >= build.close_at * bus.voltage * (1 - 1e-6)


@pytest.mark.parametrize("volts", [12, 48, 120, 400, 800, 1000])
def test_relay_contactor_and_contacts_suit_the_bus(volts, shelf):
    bus = Bus(voltage=volts, bank=1e-3, current=85)
    build = build_for(bus, {}, shelf, USUAL)
    assert build.contact_volts >= volts
    assert build.contactor >= 85
    assert build.relay >= volts / build.resistor
    assert shelf.get(Resistor, build.type).v_rating >= volts
    left = (1 - build.close_at) * volts / (bus.resistance + bus.esr + precharge.CONTACT)
    assert left <= precharge.MAKES * build.contactor or build.close_at == precharge.CLOSES[-1]


def test_a_stiffer_source_closes_later(shelf):
    soft = build_for(Bus(voltage=800, resistance=0.5), {}, shelf, USUAL)
    stiff = build_for(Bus(voltage=800, resistance=0.01, esr=0.001), {}, shelf, USUAL)
    assert stiff.close_at > soft.close_at


def test_a_larger_bank_rests_longer_between_its_tries(shelf):
    small, large = (build_for(Bus(voltage=1000, bank=c), {}, shelf, USUAL) for c in (0.2e-3, 2e-3))
    assert large.rest / large.timeout > small.rest / small.timeout
    series = shelf.get(Resistor, large.type)
    mean = 1000**2 / large.resistor * large.timeout / (large.timeout + large.rest)
    assert mean <= series.power * (1 - USUAL.resistor_margin)


def test_a_pinned_resistor_type_is_kept_and_judged(shelf):
    seen = see(Bus(voltage=400), {"precharge.type": "MF-1W"}, shelf, USUAL)
    assert {f.code for f in seen.findings} & {"precharge.pulse", "precharge.heat"}
    type_shown = next(f for f in seen.block.figures if f.address == "precharge.type")
    assert type_shown.status == "pinned"
    assert type_shown.choice == "MF-1W"


def test_what_is_not_of_the_precharge_is_refused(shelf):
    with pytest.raises(PinError, match="not a figure"):
        see(Bus(), {"heat.pad": "thin film, greased"}, shelf, USUAL)


def test_files_of_a_bus_are_those_of_its_build(shelf):
    bus = Bus(voltage=230)
    build = build_for(bus, {}, shelf, USUAL)
    assert sequence_file(bus, {}, "csv", shelf, USUAL) == state_table_csv(bus.need, build)
    assert sequence_file(bus, {}, "c", shelf, USUAL) == state_table_c(bus.need, build)
