"""The drawer: proposals take what is at hand where it serves, as far as it goes, and say so."""

from collections import Counter

import pytest
from benchmarks.cases import case_at, random_drawer
from benchmarks.sweep import judge

from rhombos.core.benches.battery_swap import change_battery
from rhombos.core.benches.compare import row_of
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.parts import Core, Mosfet, Shelf
from rhombos.core.parts.drawer import Stock, preferring
from rhombos.core.parts.origin import RESISTANCE, VOLTAGE

USUAL = PRESETS["usual"]


def holding(shelf, *stocks) -> Shelf:
    """The house shelf with a drawer: kind, designation, and what there is of it."""
    return shelf.stocked({(kind, part): Stock(**stock) for kind, part, stock in stocks})


def findings(solution, *codes):
    return {f.code: f for f in solution.findings if f.code in codes}


@pytest.fixture(scope="module")
def plain(refuge, shelf):
    return work_out(refuge, {}, shelf, USUAL)


@pytest.fixture(scope="module")
def next_core(plain, shelf) -> Core:
    """A core a size above the one proposed: it serves too, and costs more."""
    chosen = shelf.get(Core, plain.builds["transformer"].core)
    return min(
        (c for c in shelf.all(Core) if c.shape == chosen.shape and chosen.a_e * chosen.a_w < c.a_e * c.a_w),
        key=lambda c: c.a_e * c.a_w,
    )


def test_a_core_that_serves_is_taken_from_the_drawer_and_said(refuge, shelf, plain, next_core):
    assert plain.builds["transformer"].core != next_core.id
    stocked = holding(shelf, ("core", next_core.id, {"count": 20, "condition": "salvaged", "note": "from an old supply"}))
    solution = solve(refuge, {}, stocked, USUAL)
    assert solution.build["transformer"]["core"] == next_core.id
    told = findings(solution, "transformer.drawer")["transformer.drawer"]
    assert f"of the 20 {next_core.id}, salvaged (from an old supply)" in told.cause
    assert "inductance of ten turns" in told.remedy
    assert told.severity == "watch"
    assert not [f.code for f in solution.findings if f.severity in ("stop", "fix")]


def test_a_core_that_does_not_serve_stays_in_the_drawer(refuge, shelf, plain):
    least = min(shelf.all(Core), key=lambda c: c.v_e)
    solution = solve(refuge, {}, holding(shelf, ("core", least.id, {"count": 9})), USUAL)
    assert solution.build["transformer"]["core"] == plain.builds["transformer"].core


def test_a_house_may_weigh_the_drawer_at_full_price(refuge, shelf, plain, next_core):
    stocked = holding(shelf, ("core", next_core.id, {"count": 2}))
    fair = USUAL.model_copy(update={"drawer_price": 1.0})
    assert work_out(refuge, {}, stocked, fair).builds == plain.builds


def test_a_drawer_that_holds_too_few_is_not_emptied_for_nothing(refuge, shelf, plain):
    """One switch where four are needed is no reason to buy three more of a dear kind; as many as are needed are."""
    needed = sum(i.count for i in parts_list(plain).needed["front_end"] if i.kind == "mosfet")
    chosen = shelf.get(Mosfet, plain.builds["front_end"].switch)
    dearer = max(
        (m for m in shelf.all(Mosfet) if m.v_rating == chosen.v_rating and m.r_on < chosen.r_on), key=lambda m: m.price
    )
    one = work_out(refuge, {}, holding(shelf, ("mosfet", dearer.id, {"count": 1})), USUAL)
    many = work_out(refuge, {}, holding(shelf, ("mosfet", dearer.id, {"count": 4 * needed})), USUAL)
    assert one.builds["front_end"].switch == plain.builds["front_end"].switch
    assert many.builds["front_end"].switch == dearer.id


def test_a_pinned_part_is_counted_against_the_drawer(refuge, shelf, plain):
    switch = plain.builds["front_end"].switch
    found = solve(refuge, {"front_end.switch": switch}, holding(shelf, ("mosfet", switch, {"count": 1})), USUAL)
    short = findings(found, "front_end.drawer_short")["front_end.drawer_short"]
    needed = sum(i.count for i in parts_list(plain).needed["front_end"] if i.kind == "mosfet")
    assert f"{needed} of {switch} are needed, 1 are there" in short.cause
    assert short.remedy.startswith(f"Buy {needed - 1} more")


def test_an_unverified_switch_of_the_drawer_alone_is_taken_to_be_worse(refuge, shelf, plain):
    part = (
        shelf.get(Mosfet, plain.builds["h_bridge"].switch)
        if plain.builds["h_bridge"].switch in shelf.all_ids("mosfet")
        else shelf.all(Mosfet)[-1]
    )
    stocked = holding(shelf, ("mosfet", part.id, {"count": 40, "condition": "unverified"}))
    seen = preferring(stocked, 0.0)
    assert seen.get(Mosfet, part.id).v_rating == pytest.approx(VOLTAGE * part.v_rating)
    assert seen.get(Mosfet, part.id).r_on == pytest.approx(RESISTANCE * part.r_on)
    assert all(seen.get(Mosfet, p.id) == p for p in shelf.all(Mosfet) if p.id != part.id)
    found = solve(refuge, {"h_bridge.switch": part.id}, stocked, USUAL)
    assert "h_bridge.incoming" in {f.code for f in found.findings}
    assert "front_end.incoming" not in {f.code for f in found.findings}
    drawn = findings(found, "h_bridge.drawer")["h_bridge.drawer"]
    assert drawn.remedy == "Put them to their incoming test."


def test_what_is_there_already_costs_less(refuge, shelf, next_core):
    stocked = holding(shelf, ("core", next_core.id, {"count": 20}))
    worked = work_out(refuge, {}, stocked, USUAL)
    price = {i.part: i.price for items in parts_list(worked).needed.values() for i in items}
    assert price[next_core.id] == pytest.approx(0.25 * next_core.price)
    assert (
        row_of(refuge, "push-pull link", "sine", stocked, USUAL).cost
        < row_of(refuge, "push-pull link", "sine", shelf, USUAL).cost
    )


def test_a_sizing_of_a_sizings_shelf_is_the_same(refuge, shelf):
    """Nothing is taken to be worse, or cheaper, twice: the same battery put in again changes nothing."""
    doubting = refuge.model_copy(update={"targets": refuge.targets.model_copy(update={"switches": "unverified"})})
    for stocked in (shelf, holding(shelf, ("mosfet", shelf.all(Mosfet)[0].id, {"count": 40}))):
        worked = work_out(doubting, {}, stocked, USUAL.model_copy(update={"drawer_price": 0.5}))
        again = work_out(doubting, {}, worked.shelf, worked.rules)
        assert again.shelf is worked.shelf
        assert again.builds == worked.builds
        assert all(v.old == v.new for i in change_battery(worked, {}, doubting.source).items for v in i.values)


def test_the_drawer_is_part_of_what_a_shelf_is(shelf):
    part = shelf.all(Core)[0].id
    one, same, other = (holding(shelf, ("core", part, {"count": n})) for n in (1, 1, 2))
    assert one.fingerprint == same.fingerprint != other.fingerprint != shelf.fingerprint


@pytest.mark.parametrize("index", range(6))
def test_whatever_lies_in_the_drawer_the_laws_hold_on_every_route(index, shelf):
    stocked = random_drawer(shelf, index, 1128)
    case = case_at(index, 1128)
    assert judge(case, False, stocked, USUAL).broken == []
    worked = work_out(case.brief, {}, stocked, USUAL, case.route)
    needed = Counter()
    for items in parts_list(worked).needed.values():
        for item in items:
            needed[item.kind, item.part] += item.count
    short = {
        part
        for (kind, part), count in needed.items()
        if kind != "wire" and (kind, part) in stocked.drawer and count > stocked.drawer[kind, part].count
    }
    told = [f.cause for f in solve(case.brief, {}, stocked, USUAL, case.route).findings if f.code.endswith("drawer_short")]
    assert len(told) == len(short)
    assert all(any(part in cause for cause in told) for part in short)
