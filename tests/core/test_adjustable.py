"""An output adjustable from one voltage down to another: what is settled there, what is hardest, and what turns it."""

from __future__ import annotations

import math
import random
from dataclasses import replace

import numpy as np
import pytest
from benchmarks.agreement import agreements
from pydantic import ValidationError
from scipy.optimize import brentq

from rhombos.core.benches.compare import candidates
from rhombos.core.benches.rating import rating
from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.form import brief_fields
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.points import LASTING, LOWEST_SET, SET_STEADY, SET_SURGES, SURGING, Point, operating_points
from rhombos.core.frame.solve import Worked, broken, explain, report_blocks, solve, work_out
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Capacitor, Shelf
from rhombos.core.plots import charts
from rhombos.core.routes.base import lossy
from rhombos.core.scope.asked import ScopeAsked
from rhombos.core.scope.bench import scope_bench

USUAL = PRESETS["usual"]
DC = {"kind": "DC", "voltage": 300, "down_to": 60, "power": {"continuous": 400, "surge": 450, "surge_time": 2}}
SPANS = {  # by what turns them: route and output
    "supply": ("push-pull link", DC),
    "low supply": ("full-bridge link", DC | {"voltage": 48, "down_to": 12}),
    "sine": ("push-pull link", {"voltage": 230, "down_to": 60}),
    "pulses on a link": ("full-bridge link", {"voltage": 230, "down_to": 100, "waveform": "modified"}),
    "square on a link": ("half-bridge link", {"voltage": 230, "down_to": 100, "waveform": "square"}),
    "sine on iron": ("iron bridge", {"voltage": 230, "down_to": 60}),
    "pulses on iron": ("iron push-pull", {"voltage": 230, "down_to": 150, "waveform": "modified"}),
}
LINKED = ("supply", "low supply", "pulses on a link", "square on a link")


def span(name: str, shelf: Shelf, pins: dict[str, object] | None = None, **output: object) -> Worked:
    route, asked = SPANS[name]
    return work_out(Brief.model_validate({"output": asked | output}), pins or {}, shelf, USUAL, route)  # type: ignore[arg-type]


@pytest.fixture(scope="module", params=list(SPANS))
def spanned(request: pytest.FixtureRequest, shelf: Shelf) -> Worked:
    return span(request.param, shelf)


def fixed(worked: Worked, setting: float) -> Worked:
    """The same build as a design of one lower voltage, its link set there by hand."""
    output = worked.brief.output
    asked = worked.brief.but(
        output={"voltage": setting * output.voltage, "down_to": None},
        power={"continuous": setting * worked.brief.power.continuous, "surge": setting * worked.brief.power.surge},
    )
    pins = {f"{b}.{n}": v for b, fields in explain(worked, {}).build.items() for n, v in fields.items() if b != "setting"}
    if worked.route.turned_by[output.waveform] == "link":
        states = worked.settled[LOWEST_SET].states if setting < 0.99 else worked.settled["high"].states
        pins["dc_link.voltage"] = states["dc_link"].voltage
    return work_out(asked, pins, worked.shelf, USUAL, worked.route.key)


def test_the_proposal_keeps_every_rule_at_every_setting(spanned: Worked):
    assert broken(spanned) == 0
    assert all(s.converged for s in spanned.settled.values())


def test_the_lowest_setting_is_a_design_of_that_voltage(spanned: Worked):
    """Settled within the span, or as a brief of its own that asks for nothing else: the same state."""
    output = spanned.brief.output
    assert output.down_to is not None
    alone = fixed(spanned, output.down_to / output.voltage)
    for key, like in ((LOWEST_SET, "high"), ("set_low", "low"), ("set_1_surge", "surge_high"), ("set_idle", "idle_high")):
        turned, own = spanned.settled[key], alone.settled[like]
        assert turned.states["load"].voltage == pytest.approx(own.states["load"].voltage, rel=2e-3)
        assert turned.flow["source"] == pytest.approx(own.flow["source"], rel=3e-3, abs=5e-3)
        for block, stress in (
            ("source", "rms"), ("front_end", "junction"), ("transformer", "loss"), ("rectifier", "ripple"),
            ("dc_link", "ripple"), ("h_bridge", "device_peak"), ("output_filter", "distortion"), ("iron_transformer", "loss"),
        ):  # fmt: skip
            if block in turned.states and hasattr(turned.states[block], stress):
                found, asked = (getattr(s.states[block], stress) for s in (turned, own))
                assert found == pytest.approx(asked, rel=5e-3, abs=1e-4), (key, block, stress)


def test_it_gives_its_current_at_every_setting(spanned: Worked):
    output, power = spanned.brief.output, spanned.brief.power
    for key, point in operating_points(spanned.brief).items():
        if key in (*SET_SURGES, *(k for k in LASTING if k.startswith("set"))):
            watts = power.surge if key in SURGING else power.continuous
            assert point.power / (point.setting * output.voltage) == pytest.approx(watts / output.voltage)
    highest, lowest = (spanned.settled[key].states for key in ("high", LOWEST_SET))
    assert lowest["load"].voltage == pytest.approx(output.down_to, rel=1e-5)
    assert lowest["load"].power == pytest.approx(output.down_to / output.voltage * power.continuous, rel=1e-5)  # type: ignore[operator]
    drawn = lowest["load"].rms / highest["load"].rms
    if spanned.route.turned_by[output.waveform] == "modulation" and output.stepped:
        assert 1 < drawn < 1.6  # a lagging load takes its power from narrower pulses with more current
    else:
        assert drawn == pytest.approx(1, rel=0.05)
    if "dc_link" in lowest and output.waveform in ("modified", "square"):  # behind what its bridge drops
        assert lowest["h_bridge"].output == pytest.approx(output.down_to, rel=0.01)


def test_power_is_balanced_at_every_setting(spanned: Worked):
    for key, s in spanned.settled.items():
        lost = sum(s.states[b].loss for b in lossy(spanned.route, spanned.brief.waves))
        assert s.flow["source"] == pytest.approx(s.delivered + lost, rel=1e-3, abs=5e-3), key


def between(worked: Worked, setting: float) -> Worked:
    """The same, judged at one setting of the span where it stood at three."""
    points = operating_points(worked.brief)
    volts, power = worked.brief.source.volts[2], worked.brief.power
    factor = worked.brief.output.power_factor
    anywhere = {
        LOWEST_SET: Point(LOWEST_SET, "somewhere", volts, setting * power.continuous, factor, setting=setting),
        SET_SURGES[0]: Point(SET_SURGES[0], "somewhere", volts, setting * power.surge, factor, setting=setting),
    }
    asked = {key: anywhere.get(key, point) for key, point in points.items()}
    settled = worked.route.converge_all(
        worked.builds, worked.brief, worked.shelf, USUAL, points=asked, start=worked.settled,
        worksheets={key: Worksheet() for key in asked})  # fmt: skip
    whole = {k: replace(s, states={**worked.settled[k].states, **s.states}) for k, s in settled.items()}
    return replace(worked, settled=whole)


def test_what_is_hardest_does_not_hide_between_the_settings_that_are_judged(spanned: Worked):
    """At settings drawn from the whole span no figure comes more than a little beyond what the judged ones make of it."""
    output, dice = spanned.brief.output, random.Random(str(spanned.brief.output.described))
    assert output.down_to is not None
    judged = {f.address: f.stress for b in report_blocks(spanned)[0] for f in b.figures if f.stress is not None}
    for _ in range(4):
        setting = dice.uniform(output.down_to / output.voltage, 1)
        found = {f.address: f.stress for b in report_blocks(between(spanned, setting))[0] for f in b.figures if f.stress}
        over = {a: (s, judged[a]) for a, s in found.items() if s > 1.03 * judged[a] + 0.01}
        assert over == {}, setting


def test_sheet_and_scope_say_the_same_at_the_lowest_setting(spanned: Worked):
    lowest = spanned.at_lowest
    assert lowest.brief.output.voltage == spanned.brief.output.down_to
    assert lowest.settled["high"].flow["source"] == pytest.approx(spanned.settled[LOWEST_SET].flow["source"], rel=1e-3)
    assert [a for a in agreements(lowest) if a.off > 1] == []


def test_the_scope_is_set_to_either_end(shelf: Shelf):
    worked = span("sine", shelf)
    high, low = (scope_bench(ScopeAsked(setting=setting), worked) for setting in ("highest", "lowest"))
    assert high.settings == low.settings == ("highest", "lowest")
    assert low.trip == high.trip
    rms = [float(next(r.text for r in s.readings if r.name.startswith("Fundamental")).split()[0]) for s in (high, low)]
    assert rms == pytest.approx([230, 60], rel=0.02)
    assert scope_bench(ScopeAsked(setting="lowest"), span("sine", shelf, down_to=None)).settings == ()


def test_the_bank_is_chosen_for_the_setting_at_which_it_carries_most(shelf: Shelf):
    """Pulses of one height put most into it where they take half of the time, which is between the ends of this span."""
    rail = {"kind": "DC rail", "nominal": 11.1, "lowest": 11, "highest": 11.4, "limit": 340, "cable_length": 0.6}
    output = {"voltage": 110, "down_to": 49.8, "frequency": 50, "waveform": "square"}
    power = {"continuous": 1190, "surge": 1190, "power_factor": 0.8}
    brief = Brief.model_validate({"source": rail, "output": output, "power": power, "loads": ["adapter"]})
    worked = work_out(brief, {}, shelf, PRESETS["usual"], "full-bridge link")
    carried = {k: s.states["input_stage"].can_ripple for k, s in worked.settled.items() if k in LASTING}
    busy = {k: worked.settled[k].states["front_end"].total_duty for k in carried}
    hardest = max(carried, key=carried.__getitem__)
    assert hardest in SET_STEADY
    assert abs(busy[hardest] - 0.5) == min(abs(d - 0.5) for d in busy.values())
    can = shelf.get(Capacitor, worked.builds["input_stage"].capacitor)
    assert carried[hardest] <= can.i_ripple * (1 - PRESETS["usual"].ripple_current_margin)


def test_the_choke_is_wound_for_its_largest_ripple_in_the_span(shelf: Shelf):
    """The ripple of an ideal choke is V·(1 − V/V_s)/(2·f·L), and largest where the link is half of what the secondary makes."""
    worked, plain = span("supply", shelf), span("supply", shelf, down_to=None)
    build, now = worked.builds["rectifier"], worked.settled["high"]
    assert build.inductance > 1.05 * plain.builds["rectifier"].inductance
    secondary = worked.builds["transformer"].ratio * worked.brief.source.volts[2]
    volts = np.linspace(60, 300, 2000)
    largest = np.max(volts * (1 - volts / secondary)) / (2 * worked.builds["front_end"].frequency * build.inductance)
    assert largest == pytest.approx(USUAL.choke_ripple * now.states["rectifier"].current, rel=0.08)
    settled = [worked.settled[k].states["rectifier"].ripple for k in LASTING]
    assert max(settled) == pytest.approx(largest, rel=0.08)


@pytest.mark.parametrize("name", LINKED)
def test_the_divider_turns_the_link_down_whatever_its_parts_are_off_by(name: str, shelf: Shelf):
    """The network solved as it stands, its trimmer set so that the link is right at the top, its parts drawn at random."""
    worked = span(name, shelf)
    build, now = worked.builds["controller"], worked.settled["nominal"].states["controller"]
    top, least = worked.builds["dc_link"].voltage, worked.settled[LOWEST_SET].states["dc_link"].voltage
    dice = np.random.default_rng(7)
    found = []
    for _ in range(300):
        ref = build.reference * (1 + USUAL.reference_tolerance * dice.uniform(-1, 1))
        upper, lower, end = (
            ohms * (1 + USUAL.resistor_tolerance * dice.uniform(-1, 1))
            for ohms in (build.r_top, build.r_bottom, build.span_end)
        )
        pot = build.span_pot * dice.uniform(0.8, 1.2)

        def link(trim: float, below: float, ref: float = ref, upper: float = upper, lower: float = lower) -> float:
            return ref * (upper + lower + trim + below) / (lower + trim + below)

        trim = brentq(lambda t: link(t, 0.0) - top, 0.0, build.set_trimmer)
        below = 1 / (1 / pot + 1 / end) if end else pot
        found.append(link(trim, below))
        assert link(trim, below / 2) < link(trim, 0.0)  # a wiper that opens turns it down
    assert now.turned_least - 1e-6 <= min(found)
    assert max(found) <= now.turned_most + 1e-6 <= least + 2e-6
    assert min(found) > 0.7 * least  # and not much further than is asked


@pytest.mark.parametrize("name", ["sine", "sine on iron", "pulses on iron"])
def test_a_potentiometer_turns_the_bridge_down(name: str, shelf: Shelf):
    worked = span(name, shelf)
    build, now = worked.builds["setting"], worked.now["setting"]
    output, dice = worked.brief.output, random.Random(5)
    assert output.down_to is not None
    for _ in range(300):
        pot, end = (
            build.potentiometer * dice.uniform(0.8, 1.2),
            build.end * (1 + USUAL.resistor_tolerance * dice.uniform(-1, 1)),
        )
        volts = output.voltage * end / (pot + end)
        assert now.turned_least - 1e-9 <= volts <= now.turned_most + 1e-9 <= output.down_to + 2e-9
    assert now.turned_least > 0.6 * output.down_to
    assert "setting" not in span(name, shelf, down_to=None).builds


def test_ripple_and_dip_are_counted_of_the_highest_setting(shelf: Shelf):
    worked = span("supply", shelf)
    for key in ("nominal", LOWEST_SET):
        states = worked.settled[key].states
        assert states["dc_link"].ripple <= worked.brief.output.ripple * 300 * 1.001  # type: ignore[union-attr]
        fallen = states["dc_link"].voltage - states["controller"].low_point
        allowed = (worked.brief.output.dip + USUAL.link_tolerance) * 300  # type: ignore[union-attr]
        assert fallen <= allowed + states["dc_link"].ripple


RAISED = [
    ("controller.span", "supply", {"controller.span_pot": "1k"}),
    ("controller.span", "supply", {"controller.feedback": "zener string and opto-coupler"}),
    ("dc_link.not_turned", "supply", {"rectifier.circuit": "bridge, no choke"}),
    ("setting.span", "sine", {"setting.end": "33k"}),
]


@pytest.mark.parametrize(("code", "name", "pins"), RAISED)
def test_it_is_told_and_its_cure_clears_it(code: str, name: str, pins: dict[str, str], shelf: Shelf):
    route, asked = SPANS[name]
    brief = Brief.model_validate({"output": asked})
    found = solve(brief, pins, shelf, USUAL, route)
    told = next(f for f in found.findings if f.code == code)
    patch = told.cures[0].patch
    cured = solve(brief, {k: v for k, v in (pins | patch).items() if v is not None}, shelf, USUAL, route)
    assert code not in {f.code for f in cured.findings}


@pytest.mark.parametrize(
    ("lowest", "loads", "told"), [(60, ["lamp", "fan"], True), (60, ["lamp", "heater"], False), (205, ["fan"], False)])  # fmt: skip
def test_loads_made_for_one_voltage_are_told_of_a_lower_one(lowest: float, loads: list[str], told: bool, shelf: Shelf):
    brief = Brief.model_validate({"output": {"voltage": 230, "down_to": lowest, "loads": loads}})
    found = {f.code: f for f in solve(brief, {}, shelf, USUAL, "push-pull link").findings}
    assert ("load.turned" in found) == told
    assert not told or ("no fan" in found["load.turned"].cause and "lamp" not in found["load.turned"].cause)


@pytest.mark.parametrize(("first", "falls"), [(DC, True), ({"kind": "AC", "voltage": 230, "down_to": 60}, False)])
def test_a_socket_on_the_secondary_goes_down_where_the_link_does(first: dict[str, object], falls: bool, shelf: Shelf):
    """By the root of the duty, as its pulses keep their height; a bridge that is turned down leaves the stage as it is."""
    beside = {"kind": "HF", "voltage": 110, "power": {"continuous": 60, "surge": 70}}
    worked = work_out(Brief.model_validate({"outputs": [first, beside]}), {}, shelf, USUAL, "push-pull link")
    high, low = (worked.settled[key].states for key in ("high", LOWEST_SET))
    duties = low["front_end"].duty / high["front_end"].duty
    assert low["hf_socket"].voltage / high["hf_socket"].voltage == pytest.approx(math.sqrt(duties), rel=0.06)
    assert ("hf_socket.turned" in {f.code for f in explain(worked, {}).findings}) == falls


@pytest.mark.parametrize("route", ["iron push-pull", "self-oscillating", "direct bridge"])
def test_a_square_wave_that_nothing_holds_is_not_adjustable(route: str, shelf: Shelf):
    rail = {"kind": "DC rail", "nominal": 24, "lowest": 23, "highest": 25}
    volts = 24 if route == "direct bridge" else 230
    brief = Brief.model_validate({"source": rail, "output": {"voltage": volts, "down_to": volts / 2, "waveform": "square"}})
    found = solve(brief, {}, shelf, USUAL, route)
    assert [f.code for f in found.findings] == ["route.adjustable"]
    assert not [wave for name, wave in candidates(brief) if name == route and wave == "square"]


@pytest.mark.parametrize(
    ("output", "said"),
    [
        ({"voltage": 230, "down_to": 240}, "23 V to 225.4 V"),
        ({"voltage": 230, "down_to": 20}, "23 V to 225.4 V"),
        ({"kind": "DC", "voltage": 340, "down_to": 339}, "34 V to 333.2 V"),
    ],
)
def test_a_span_that_is_none_is_refused_in_words(output: dict[str, object], said: str):
    with pytest.raises(ValidationError) as refused:
        Brief.model_validate({"output": output})
    (problem,) = from_validation(refused.value, Brief)
    assert problem.field == "outputs.0.down_to"
    assert said in problem.message


def test_the_span_follows_a_voltage_that_no_longer_admits_it():
    asked = {"outputs": [{"kind": "DC", "voltage": 48, "down_to": 60}]}
    brief, told = followed(asked, "outputs.0.voltage")
    assert "60 V" in told
    assert Brief.model_validate(brief).output.down_to == pytest.approx(47, rel=0.01)
    assert followed({"outputs": [{"voltage": 240, "down_to": "60 V"}]}, "outputs.0.voltage")[1] == ""
    assert followed({"outputs": [{"voltage": 240}]}, "outputs.0.voltage")[1] == ""


def test_the_form_asks_for_it_and_takes_it_away_again():
    there = {f.address: f for f in brief_fields(Brief.model_validate({"output": DC}))}
    assert there["outputs.0.down_to"].text == "60 V"
    gone = {f.address: f for f in brief_fields(Brief.model_validate({"output": DC | {"down_to": None}}))}
    assert gone["outputs.0.down_to"].absent == "not adjustable"
    alone = brief_fields(Brief.model_validate({"output": {"kind": "HF"}}))
    assert not [f for f in alone if f.address.endswith("down_to")]


@pytest.mark.parametrize(("name", "block"), [("supply", "controller"), ("low supply", "controller"), ("sine", "setting")])
def test_its_picture_runs_from_the_lowest_setting_to_the_highest(name: str, block: str, shelf: Shelf):
    worked = span(name, shelf)
    picture = next(c for c in charts(worked, block) if c.key == "span")
    now = worked.now[block]
    marked, low, high = (np.array(s.y) for s in picture.series)
    assert marked[0] == pytest.approx(now.turned_down, rel=0.02)  # the trimmer stands in its middle there, set here
    assert marked[-1] == low[-1] == high[-1] == pytest.approx(worked.brief.output.voltage, rel=1e-6)
    assert np.all(np.diff(marked) > 0)
    assert low[0] > marked[0] > high[0]
    assert low[0] <= worked.brief.output.down_to * 1.01  # type: ignore[operator]


def test_the_rating_counts_every_setting(shelf: Shelf):
    """Pinned to what a low setting just bears: the switches' current limits an output that is turned down by narrow pulses."""
    worked = span("pulses on iron", shelf)
    plain = span("pulses on iron", shelf, {f"{b}.{n}": v for b, fields in explain(worked, {}).build.items()
                                           for n, v in fields.items() if b != "setting"}, down_to=None)  # fmt: skip
    assert rating(worked).share < rating(plain).share
    assert math.isfinite(rating(worked).power)
