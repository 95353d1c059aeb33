"""The input of a unit on one-phase mains, as it is proposed, judged and told."""

import math
import random

import pytest
from pydantic import ValidationError
from scipy.integrate import solve_ivp

from rhombos.core.blocks import mains_input, mains_proposal
from rhombos.core.blocks.mains_input import Draws
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.mains.tool import MainsAsked, points_of, see
from rhombos.core.parts import Capacitor, Diode

USUAL = PRESETS["usual"]
KEY = mains_input.KEY


def drawn(seed):
    """Any mains of the world and a load: stiff to soft, without inductance to much of it."""
    dice = random.Random(seed)
    nominal, power = dice.choice([100, 115, 120, 200, 220, 230, 240, 265]), min(5000, max(5, 10 ** dice.uniform(0.8, 3.7)))
    hertz, ohms = dice.choice([50, 60, 50, 60, 400]), nominal**2 / power
    lowest = nominal * dice.uniform(0.75, 0.95)
    return MainsAsked(
        lowest=lowest, nominal=nominal, highest=nominal * dice.uniform(1.05, 1.15), frequency=hertz, power=power,
        least=lowest * dice.uniform(0.7, 1.05), hold_up=dice.choice([0, 5e-3, 10e-3, 20e-3]),
        resistance=min(50, max(0.01, ohms * 10 ** dice.uniform(-2.7, -1.8))),
        inductance=min(0.05, ohms / (2 * math.pi * hertz) * 10 ** dice.uniform(-2.5, -1.1)),
    )  # fmt: skip


def graves(seen, *severities):
    return {f.code.partition(".")[2] for f in seen.findings if f.severity in (severities or ("stop", "fix"))}


@pytest.mark.parametrize("part", range(4))
def test_what_is_proposed_keeps_the_rules_or_no_bank_does(part, shelf):
    """Where it is said that no bank helps, four times the proposed one does not either."""
    broken = []
    for seed in range(part, 60, 4):
        asked = drawn(seed)
        seen = see(asked, {}, shelf, USUAL)
        hard = [f for f in seen.findings if f.severity in ("stop", "fix")]
        broken += [(seed, f.code, f.cause) for f in hard if not f.unavoidable]
        if hard:
            count = next(f.value for f in seen.block.figures if f.address == f"{KEY}.count")
            larger = see(asked, {f"{KEY}.count": min(60, int(4 * count))}, shelf, USUAL)
            broken += [(seed, f.code, "helped by more") for f in hard if f.code.partition(".")[2] not in graves(larger)]
    assert not broken


@pytest.mark.parametrize("seed", range(0, 60, 7))
def test_power_in_is_power_out_and_losses(seed, shelf):
    asked = drawn(seed)
    line = asked.line
    build = mains_proposal.propose(line, Draws(asked.power), {}, shelf, USUAL)
    for key, point in points_of(line, asked.power).items():
        state = mains_input.assess(line, point.emf, Draws(point.power), build, shelf, USUAL, SILENT)
        if key == "idle" or state.wanders:
            continue
        assert state.drawn == pytest.approx(point.power + state.loss + line.ohms * state.line_rms**2, rel=1e-3), key
        assert state.bank_rms == pytest.approx(
            math.sqrt(max(0.0, state.line_rms**2 - (2 * state.diode_mean) ** 2)), rel=0.02
        ), "what the bank carries is the swing of what the diodes give, the load's being nearly steady"


def test_the_bank_holds_out_as_long_as_it_says(shelf):
    """A bank that is left alone with a load of constant power, step by step."""
    asked = MainsAsked(hold_up="20 ms")
    line, draws = asked.line, Draws(asked.power)
    build = mains_proposal.propose(line, draws, {}, shelf, USUAL)
    state = mains_input.assess(line, line.volts[0], draws, build, shelf, USUAL, SILENT)
    volts, seconds, step = state.valley, 0.0, 1e-6
    while volts > line.least:
        volts -= asked.power / volts * step / mains_input.capacitance(build, shelf)
        seconds += step
    assert state.hold_up == pytest.approx(seconds, rel=1e-3)
    assert seconds >= 0.02


def test_with_nothing_drawn_the_bank_stands_at_the_crest(shelf):
    line = MainsAsked().line
    build = mains_proposal.propose(line, Draws(400), {}, shelf, USUAL)
    state = mains_input.assess(line, 253, Draws(0.0), build, shelf, USUAL, SILENT)
    assert state.mean == pytest.approx(253 * math.sqrt(2) - 2 * shelf.get(Diode, build.diode).v_0)
    assert state.line_rms == state.ripple == 0
    assert state.hold_up == math.inf


RAISED = {
    "fuse_small": ({"power": 3000}, {"fuse": "FU-500-6"}),
    "fuse_melts": ({"resistance": 0.05, "inductance": 0}, {"fuse": "FU-500-4", "limiter": 0.5}),
    "fuse_breaking": ({}, {"fuse": "FU-125-10"}),
    "reverse": ({}, {"diode": "RM-200-10"}),
    "diode_current": ({"power": 3000}, {"diode": "RM-600-3"}),
    "junction": ({"power": 3000}, {"sink": "HS-20", "fan": False}),
    "can_voltage": ({}, {"capacitor": "CE-250-680", "count": 2}),
    "ripple": ({}, {"capacitor": "CE-450-100", "count": 2}),
    "falls": ({"power": 2000}, {"capacitor": "CE-450-47", "count": 1}),
    "wanders": (
        {"lowest": 225, "nominal": 231.5, "highest": 240, "frequency": 60, "resistance": 0.1, "inductance": "10.5m",
         "power": 156, "least": 100, "hold_up": 0},
        {"capacitor": "CE-450-47", "count": 1, "limiter": 0},
    ),
    "valley": ({"least": 270}, {"count": 2}),
    "hold_up": ({"hold_up": "60 ms"}, {"capacitor": "CE-450-220", "count": 2}),
    "bleeds": ({}, {"bleeder": "1M"}),
}  # fmt: skip


@pytest.mark.parametrize("code", RAISED)
def test_each_fault_is_told_and_its_cure_clears_it(code, shelf):
    asked, pins = RAISED[code]
    pinned = {f"{KEY}.{name}": value for name, value in pins.items()}
    parts = {p.id for k in (Diode, Capacitor) for p in shelf.all(k)}
    for name in ("diode", "capacitor"):
        assert pins.get(name, next(iter(parts))) in parts, f"no {pins[name]} on the shelf"
    seen = see(MainsAsked(**asked), pinned, shelf, USUAL)
    assert code in graves(seen)
    cure = next(f for f in seen.findings if f.code == f"{KEY}.{code}").cures[0]
    cured = {k: v for k, v in (pinned | cure.patch).items() if v is not None}
    assert code not in graves(see(MainsAsked(**asked), cured, shelf, USUAL))


def test_a_bank_that_falls_has_no_figures_and_no_pictures(shelf):
    asked, pins = RAISED["falls"]
    seen = see(MainsAsked(**asked), {f"{KEY}.{name}": value for name, value in pins.items()}, shelf, USUAL)
    assert graves(seen) == {"falls"}
    assert all(f.status != "result" for f in seen.block.figures)
    assert [c.series for c in seen.charts] == [()]
    assert "it falls" in [t.value for t in seen.block.circuit.texts]


def test_an_unlimited_bank_trips_breakers_and_a_hot_thermistor_limits_little(shelf):
    stiff = MainsAsked(resistance=0.2, inductance=0)
    bare = see(stiff, {f"{KEY}.limiter": 0}, shelf, USUAL)
    assert "inrush" in graves(bare)
    hot = see(stiff, {f"{KEY}.limiter": 10, f"{KEY}.bypass": "none"}, shelf, USUAL)
    assert "restart" in graves(hot, "watch")
    bridged = next(f for f in hot.findings if f.code == f"{KEY}.restart").cures[0].patch
    assert "restart" not in graves(see(stiff, {f"{KEY}.limiter": 10} | bridged, shelf, USUAL), "watch")


@pytest.mark.parametrize("limiter", [0.0, 1.0, 15.0])
def test_an_empty_bank_swings_no_higher_at_switch_on_than_it_says(limiter, shelf):
    """Mains at its crest onto resistance, inductance, a diode and an empty bank, by SciPy."""
    line = MainsAsked().line
    build = mains_proposal.propose(line, Draws(400), {"limiter": limiter, "count": 2, "capacitor": "CE-450-150"}, shelf, USUAL)
    bank, ohms = mains_input.capacitance(build, shelf), line.ohms + limiter + mains_input.esr(build, shelf)

    def law(t, x):
        rises = (line.crest * math.cos(2 * math.pi * line.hertz * t) - ohms * x[0] - x[1]) / line.henry
        return [max(rises, 0.0) if x[0] <= 0 else rises, max(x[0], 0.0) / bank]

    highest = solve_ivp(law, (0, 4e-3), [0.0, 0.0], max_step=5e-6, rtol=1e-8).y[1].max()
    told = mains_input.swings_to(line, build, shelf, limiter)
    assert highest <= told
    assert (told > 1.1 * line.crest) == (limiter < 15)
    if told > line.crest:  # meanwhile the mains falls from its crest, which the bound leaves out
        assert highest > 0.88 * told
    seen = see(MainsAsked(), {f"{KEY}.limiter": limiter, f"{KEY}.bypass": "relay", f"{KEY}.count": 2}, shelf, USUAL)
    assert ("can_voltage" in graves(seen)) == (limiter < 15)


def test_whoever_uses_it_is_told_that_it_is_live_and_what_the_line_is_loaded_with(shelf):
    seen = see(MainsAsked(), {}, shelf, USUAL)
    assert "live" in graves(seen, "watch")
    assert "harmonics" in graves(seen, "note")
    assert "harmonics" not in graves(see(MainsAsked(power=40), {}, shelf, USUAL), "note")


def test_pictures_show_what_the_figures_say(shelf):
    seen = see(MainsAsked(), {}, shelf, USUAL)
    figures = {f.address.partition(".")[2]: f.value for f in seen.block.figures}
    line, bank, lines = seen.charts
    current = next(s for s in line.series if s.name == "line current")
    assert max(current.y) == pytest.approx(-min(current.y), rel=1e-3)
    assert max(current.y) < figures["line_peak"]  # which is that at the lowest mains
    assert min(bank.series[0].y) == pytest.approx(figures["valley"], rel=1e-3)
    assert lines.series[0].y[1] == pytest.approx(figures["third"], rel=1e-5)
    assert all(f.step is None for f in seen.block.figures)


def test_a_mains_out_of_order_is_refused_in_words():
    with pytest.raises(ValidationError, match="lowest ≤ nominal ≤ highest"):
        MainsAsked(lowest=240)


@pytest.mark.parametrize(("pins", "said"), [({}, "relay"), ({"limiter": 0}, "no limiter"), ({"bypass": "none"}, "")])
def test_its_circuit_shows_what_is_fitted(pins, said, shelf):
    seen = see(MainsAsked(), {f"{KEY}.{name}": value for name, value in pins.items()}, shelf, USUAL)
    drawing = seen.block.circuit
    assert drawing is not None
    figures = {f.address.partition(".")[2]: f.text for f in seen.block.figures}
    words = [word for t in drawing.texts for word in (t.name, t.value) if word]
    assert [w for w in words if w in ("relay", "no limiter")] == [said] * bool(said)
    for name in ("bank", "bleeder", *(() if said == "no limiter" else ("limiter",))):
        assert figures[name] in words, name
    assert f"{figures['mean']}, in each valley {figures['valley']}" in words
    assert sum(s.symbol == "diode" for s in drawing.symbols) == 4
    assert "F1" in words, "of no sheet, as there is no design about it"
