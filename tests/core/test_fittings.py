"""Parts that are bought by their ratings, how a part is mounted, and what many of it cost."""

import itertools

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS, RuleChanges, house_rules
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.parts import FITTINGS, GROUPS, KINDS, Bipolar, HeatSink, Shelf
from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.fittings import Connector, Fan, Relay, Zener
from rhombos.core.parts.listing import UNSAID, cells, columns, from_form, texts
from rhombos.core.parts.part import Packaged
from rhombos.core.parts.table import TableError, read_csv, write_csv
from rhombos.core.routes import ROUTES
from tests.core.asking import fitting, making

USUAL = PRESETS["usual"]
WAYS = [(name, wave) for name, route in ROUTES.items() for wave in route.waveforms if wave != "modified"]


def asking(refuge, wave="sine", **power) -> Brief:
    return making(refuge, wave, power=power)


@pytest.mark.parametrize("kind", FITTINGS)
def test_the_shelf_has_a_choice_of_each_and_each_survives_its_csv_and_its_form(shelf, kind):
    parts = list(shelf.all(KINDS[kind]))
    assert len(parts) >= 8
    assert read_csv(kind, write_csv(kind, parts)) == parts
    assert [from_form(kind, texts(p)) for p in parts] == parts
    assert all(len(p.label) > 4 and p.label != p.id for p in parts)
    assert all((c.title, c.name)[0] for c in columns(kind))


def test_every_kind_is_sorted_under_one_heading():
    assert sorted(itertools.chain(*GROUPS.values())) == sorted(KINDS)


def test_a_shunted_coil_takes_what_its_resistance_draws(shelf):
    for relay in shelf.all(Relay):
        assert 0.2 < relay.v_coil**2 / relay.r_coil < 6, relay.id
        assert relay.v_dc <= relay.v_ac or relay.v_dc > 60, relay.id
        assert relay.i_make >= 2 * relay.i_rating


def test_a_zener_stands_its_test_current(shelf):
    for zener in shelf.all(Zener):
        assert zener.i_test * (zener.v_zener + zener.i_test * zener.r_zener) < 0.6 * zener.power, zener.id
        assert (zener.drift > 0) == (zener.v_zener > 5.2), zener.id


def test_fans_that_blow_more_take_more(shelf):
    direct = sorted((f for f in shelf.all(Fan) if f.form == "DC"), key=lambda f: f.flow)
    assert [f.power for f in direct] == sorted(f.power for f in direct)
    assert all(f.power < 5 * f.size / 1e-3 for f in direct)


@pytest.mark.parametrize(("text", "kept"), [("10: 0.8; 100: .65", "10: 0.8; 100: 0.65"), ("  ", ""), ("2:1", "2: 1")])
def test_quantity_breaks_are_read(text, kept):
    assert from_form("fuse", {**FUSE, "breaks": text}).breaks == kept


FUSE = {
    "id": "F-1",
    "speed": "fast",
    "i_rating": "5",
    "v_dc": "32",
    "breaking": "1k",
    "i2t": "10",
    "resistance": "17m",
    "price": "1",
}


@pytest.mark.parametrize(
    "text",
    ["10", "10: 0.8, 100: 0.6", "100: 0.6; 10: 0.8", "1: 0.9", "10: -1", "x: y", ";".join(f"{n}: 1" for n in range(2, 12))],
)
def test_quantity_breaks_that_make_no_sense_are_refused_with_how_to_write_them(text):
    with pytest.raises(TableError) as refused:
        from_form("fuse", {**FUSE, "breaks": text})
    assert refused.value.problems[0].field == "breaks"
    assert any(
        word in str(refused.value) for word in ("write quantity: price", "begin at 2 or more and rise", "give 8 at most")
    )


def test_many_cost_what_their_break_says():
    fuse = from_form("fuse", {**FUSE, "breaks": "10: 0.8; 100: 0.65"})
    assert [fuse.each(n) for n in (1, 9, 10, 99, 100, 5000)] == [1, 1, 0.8, 0.8, 0.65, 0.65]


def test_what_nobody_said_is_shown_as_that():
    fuse = from_form("fuse", FUSE)
    shown = cells(fuse)
    assert (shown["body"], shown["lead"], shown["mounting"]) == (UNSAID, UNSAID, "through hole")
    assert texts(fuse)["body"] == "0 mm"


def stands(asked: Requirement, part) -> bool:
    """The same question, asked field by field."""
    return (
        all(getattr(part, n) >= v for n, v in asked.least.items())
        and all(getattr(part, n) <= v for n, v in asked.most.items())
        and all(
            getattr(part, n) == pytest.approx(v, rel=0.02) if isinstance(v, float | int) else getattr(part, n) == v
            for n, v in asked.exact.items()
        )
    )


@pytest.mark.parametrize(("route", "wave"), WAYS)
def test_what_is_bought_stands_what_is_asked_and_nothing_cheaper_does(refuge, shelf, route, wave):
    worked = work_out(fitting(route, asking(refuge, wave)), {}, shelf, USUAL, route)
    bought = parts_list(worked)
    asked = {f"{a.block}.{a.name}": (a, p) for a, p in bought.met}
    entry = {"mains_input.relay"} if "mains_input" in worked.builds else {"precharge.part_contactor", "input_stage.lug"}
    assert {"protection.relay", "heat.sensor"} | entry <= asked.keys()
    assert ("controller.circuit" in asked) == ("controller" in worked.builds)
    for a, part in asked.values():
        assert part is not None, a.told()
        assert stands(a, part), a.told()
        assert not [p for p in shelf.all(FITTINGS[a.kind]) if stands(a, p) and p.price < part.price]
    relay = asked["protection.relay"][1]
    guard = worked.builds["protection"]
    assert relay.i_rating >= guard.output_relay
    assert (relay.v_dc if wave == "DC" else relay.v_ac) >= guard.output_high
    assert asked["protection.relay"][0].count * getattr(relay, "poles", 1) >= 2
    pads = asked["heat.part_pad"][0].count
    needed = parts_list(worked).needed
    cooled = [
        i
        for items in needed.values()
        for i in items
        if i.kind in ("mosfet", "igbt", "bipolar", "diode") and "bootstrap" not in i.what
    ]
    assert pads == sum(i.count for i in cooled)
    assert len([i for items in needed.values() for i in items if i.kind in FITTINGS]) == len(asked)


def test_what_is_bought_is_shown_in_its_block_with_what_was_asked(refuge, shelf):
    solution = solve(refuge, {}, shelf, USUAL)
    shown = {f.address: f for b in solution.blocks for f in b.figures if f.status == "bought"}
    fan = shown["heat.part_fan"]
    assert fan.text == fan.choice
    assert shelf.find("fan", fan.choice).flow >= solution.build["heat"]["airflow"]
    assert "air moved freely at least" in fan.asked
    assert shown["input_stage.lug"].text.startswith("4 × ")


def test_a_shelf_without_one_says_what_to_buy(refuge, shelf):
    few = Shelf(
        p for model in KINDS.values() for p in shelf.all(model) if not isinstance(p, Connector) or p.form != "mains socket"
    )
    solution = solve(refuge, {}, few, USUAL)
    told = next(f for f in solution.findings if f.code == "isolation.not_on_shelf")
    assert told.severity == "note"
    assert "form mains socket" in told.cause
    assert "voltage at least 230 V" in told.cause
    figure = next(f for b in solution.blocks for f in b.figures if f.address == told.figure)
    assert (figure.text, figure.choice) == ("none", None)


def test_a_relay_of_the_drawer_is_taken_and_tested_before_it_is_fitted(refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL)
    asked, plain = next((a, p) for a, p in parts_list(worked).met if a.name == "relay")
    dearer = next(
        p
        for p in sorted(shelf.all(Relay), key=lambda p: p.price)
        if stands(asked, p) and plain.price < p.price < 3 * plain.price
    )
    stocked = shelf.stocked({("relay", dearer.id): Stock(count=1, condition="salvaged")})
    solution = solve(refuge, {}, stocked, USUAL)
    assert next(f.text for b in solution.blocks for f in b.figures if f.address == "protection.relay") == dearer.id
    told = next(f for f in solution.findings if f.code == "protection.drawer")
    assert f"1 of the 1 {dearer.id}, salvaged" in told.cause
    assert "burnt contacts" in told.remedy


def small_ones(solution, shelf, least):
    """Surface-mounted parts of a sizing that are shorter than a length, m."""
    chosen_parts = {v for fields in solution.build.values() for v in fields.values() if isinstance(v, str)}
    bought = {f.choice for b in solution.blocks for f in b.figures if f.status == "bought"}
    every = (p for model in KINDS.values() for p in shelf.all(model) if p.id in chosen_parts | bought)
    return {p.id for p in every if getattr(p, "mounting", "") == "surface mount" and 0 < p.body < least}


@pytest.mark.parametrize(("route", "wave"), WAYS)
def test_nothing_is_proposed_that_is_too_small_to_solder(refuge, shelf, route, wave):
    asked = fitting(route, asking(refuge, wave))
    assert not small_ones(solve(asked, {}, shelf, USUAL, route), shelf, USUAL.smallest_body)
    house = house_rules("usual", RuleChanges(smallest_body=0.06))
    solution = solve(asked, {}, shelf, house, route)
    assert not small_ones(solution, shelf, 0.06)
    assert not [f.code for f in solution.findings if f.severity in ("stop", "fix") or f.code.endswith("too_small")]


def test_a_part_that_is_pinned_stays_however_small_and_is_told(refuge, shelf):
    house = house_rules("usual", RuleChanges(smallest_body="6 mm"))
    solution = solve(refuge, {"front_drive.driver": "DL-2"}, shelf, house)
    assert solution.build["front_drive"]["driver"] == "DL-2"
    told = next(f for f in solution.findings if f.code == "front_drive.too_small")
    assert told.cause == "DL-2: surface-mounted, shorter than 6 mm."
    assert told.severity == "watch"


def test_one_shelf_is_kept_in_few_ways(shelf):
    plain = shelf.stocked({})
    for body in range(40):
        plain.seen(("turn", body), lambda part: part)
    assert len(plain._seen) <= 12


def test_germanium_ends_at_its_own_temperature_and_its_stage_is_cut_off_before(refuge, shelf):
    asked = asking(refuge, "square", continuous=60.0, surge=90.0)
    silicon, germanium = (
        work_out(asked, {"oscillator.switch": part}, shelf, USUAL, "self-oscillating") for part in ("BN-100-15-A", "BG-80-30")
    )
    device = shelf.get(Bipolar, "BG-80-30")
    assert (device.material, device.t_j_max) == ("germanium", 90)
    assert all(b.v_be < 0.5 and b.t_j_max <= 90 for b in shelf.all(Bipolar) if b.material == "germanium")
    state = germanium.settled["nominal"].states["oscillator"]
    assert state.junction < 75
    hot = germanium.builds["heat"].hot
    assert state.junction < hot < 90
    assert hot < silicon.builds["heat"].hot
    proposed = work_out(asked, {}, shelf, USUAL, "self-oscillating").builds["oscillator"].switch
    assert not proposed.startswith("BG")


def test_a_bipolars_heat_sink_carries_what_its_junctions_make_and_no_more(refuge, shelf):
    """The heat-sink's rise is the devices' loss through it, the bases' resistors apart; the junction rides on it."""
    asked = asking(refuge, "square", continuous=60.0, surge=90.0)
    worked = work_out(asked, {"oscillator.switch": "BN-100-15-A", "oscillator.parallel": 1}, shelf, USUAL, "self-oscillating")
    build, device = worked.builds["oscillator"], shelf.get(Bipolar, "BN-100-15-A")
    sink = shelf.get(HeatSink, build.sink)
    solution = solve(asked, {"oscillator.switch": "BN-100-15-A", "oscillator.parallel": 1}, shelf, USUAL, "self-oscillating")
    figures = {f.address: f.value for b in solution.blocks for f in b.figures}
    state = worked.settled[
        max(
            (k for k in worked.settled if not k.startswith("surge")),
            key=lambda k: worked.settled[k].states["oscillator"].junction,
        )
    ].states["oscillator"]
    base = state.base * device.v_be / 3.0
    inside = state.conduction + state.switching + base
    air = asked.targets.ambient + USUAL.enclosure_rise
    resistance = sink.r_fan if build.fan else sink.r_natural
    assert figures["heat.sink_oscillator"] == pytest.approx(air + resistance * inside, abs=0.2)
    assert state.junction - figures["heat.sink_oscillator"] == pytest.approx(
        inside / 2 * (device.r_jc + USUAL.pad_resistance), abs=0.3
    )


def test_a_package_says_how_it_is_mounted(shelf):
    for model in (m for m in KINDS.values() if issubclass(m, Packaged)):
        for part in shelf.all(model):
            assert (part.mounting == "surface mount") == (part.package == "D2PAK"), part.id
            assert part.body > 5e-3


@pytest.mark.parametrize(("stage", "kind"), [("front_end", "mosfet"), ("rectifier", "diode"), ("h_bridge", "mosfet|igbt")])
def test_a_part_that_stands_less_heat_than_the_house_allows_is_held_to_its_own_limit(refuge, shelf, stage, kind):
    """A relabelled part of 110 °C under a house limit of 120 °C: judged, and searched, by 95 °C."""
    field = "diode" if stage == "rectifier" else "switch"
    sound = solve(refuge, {}, shelf, USUAL)
    weak = shelf.find(kind, sound.build[stage][field]).model_copy(update={"id": "WEAK", "t_j_max": 110.0})
    every = [p for model in KINDS.values() for p in shelf.all(model)]
    pinned = solve(refuge, {f"{stage}.{field}": "WEAK"}, Shelf([*every, weak]), USUAL)
    figure = next(f for b in pinned.blocks for f in b.figures if f.address == f"{stage}.junction")
    assert figure.rating_text == "110 °C"
    assert figure.house * 110 == pytest.approx(95)
    assert (figure.severity is None) == (figure.value <= 95)
    only = [p for p in every if p.id != sound.build[stage][field]] + [weak.model_copy(update={"price": 0.0})]
    chosen = solve(refuge, {}, Shelf(only), USUAL)
    hot = next(f for b in chosen.blocks for f in b.figures if f.address == f"{stage}.junction")
    assert chosen.build[stage][field] != "WEAK" or hot.value <= 95
