"""The parts list: nothing forgotten, every part with a reference of its own that stays where it is."""

import csv
import io
import itertools
import json
import re
from dataclasses import replace

import pytest
from benchmarks.cases import alone, case_at, direct, two

from rhombos.core.benches.parts_sheet import COLUMNS, PartsSheet, parts_csv, parts_sheet
from rhombos.core.design.file import Design
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.inventory import gather
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.references import LETTERS, designator, legend, several
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.parts import KINDS, Mosfet, Shelf
from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.fittings import Relay
from rhombos.core.routes import ROUTES, register
from rhombos.core.units.quantities import short
from tests.conftest import ROOT

USUAL = PRESETS["usual"]
BY_KIND = {
    "mosfet": "Q", "igbt": "Q", "bipolar": "Q", "diode": "D", "zener": "D", "capacitor": "C", "resistor": "R", "core": "LT",
    "iron_core": "T", "wire": "LT", "driver": "U", "controller": "U", "opto_coupler": "U", "reference": "U", "fuse": "F",
    "relay": "K", "contactor": "K", "connector": "X", "trimmer": "RP", "thermistor": "RT", "suppressor": "RV",
    "heat_sink": "HS", "fan": "M", "pad": "P",
}  # fmt: skip
BY_UNIT = {"ohm": "R", "F": "C", "H": "L"}
NOT_PARTS = ("input_stage.reverse_ohms", "input_stage.choke_ohms", "rectifier.inductance", "output_filter.inductance",
             "auxiliary_output.inductance")  # fmt: skip
"""Values that belong to a part listed otherwise: a switch, a lead, an inductor wound by core and turns."""


@pytest.fixture(scope="module")
def sized(shelf) -> list[Worked]:
    """Every example, and random designs over every route, with DC sockets, second sockets and high frequency alone."""
    found = []
    for file in sorted((ROOT / "examples").glob("*.json")):
        design = Design.model_validate(json.loads(file.read_text()))
        found.append(work_out(design.brief, design.pins, shelf, USUAL, design.route))
    cases = [case_at(i, 2026120101) for i in range(2 * len(ROUTES))]
    linked = [c for c in cases if "link" in c.route]
    for case in itertools.chain(cases, (make(c, 7) for make in (direct, two, alone) for c in linked)):
        try:
            found.append(work_out(case.brief, {}, shelf, USUAL, case.route))
        except Unbuildable:
            continue
    assert len(found) > 25
    return found


def lines(sheet: PartsSheet):
    return [(group.block, line) for group in sheet.groups for line in group.lines]


def bare(reference: str) -> str:
    return reference.split(".")[0]


def test_every_reference_is_one_part_of_its_letter(sized):
    for worked in sized:
        seen: dict[str, set[str]] = {}
        listed = parts_list(worked)
        kinds = {(key, item.part): item.kind for key, items in listed.needed.items() for item in items}
        for block, line in lines(parts_sheet(worked)):
            letter = bare(line.reference).rstrip("0123456789")
            kind = kinds.get((block, line.part), "")
            seen.setdefault(bare(line.reference), set()).add(kind)
            if kind:
                assert letter in (BY_KIND[kind] if kind in ("core", "wire") else [BY_KIND[kind]]), (line, kind)
            assert letter in LETTERS
        for reference, several_kinds in seen.items():
            assert len(several_kinds) == 1 or several_kinds <= {"core", "iron_core", "wire"}, (reference, several_kinds)
        named = [line.reference for _, line in lines(parts_sheet(worked)) if bare(line.reference)[0] not in "LT"]
        assert len(named) == len(set(named))


def test_every_value_on_a_sheet_has_its_line(sized):
    """What a sheet proposes in ohms, farads or henries is a part, and a part is listed with that value."""
    looked = set()
    for worked in sized:
        there = {block: [f"{line.value} {line.asked}" for b, line in lines(parts_sheet(worked)) if b == block]
                 for block, _ in lines(parts_sheet(worked))}  # fmt: skip
        for report in explain(worked, {}).blocks:
            for figure in report.figures:
                if figure.status not in ("proposed", "pinned") or figure.unit not in BY_UNIT or figure.address in NOT_PARTS:
                    continue
                value = getattr(worked.builds[report.key], figure.address.split(".")[1])
                if value == 0:
                    continue
                told = short(value, figure.unit)
                assert any(told in text for text in there[report.key]), (figure.address, told, there[report.key])
                assert figure.reference, figure.address
                looked.add(figure.address)
    assert len(looked) > 25, looked


def test_every_reference_on_a_sheet_is_on_the_list(sized):
    for worked in sized:
        listed = {bare(line.reference) for _, line in lines(parts_sheet(worked))}
        reports = explain(worked, {}).blocks
        told = {figure.reference for report in reports for figure in report.figures if figure.reference}
        assert told <= listed
        assert len(told) > 0.8 * len(listed), listed - told
        assert not any(figure.reference for report in reports for figure in report.figures if figure.status == "result")


def test_what_is_priced_and_counted_is_the_inventory(sized):
    for worked in sized:
        sheet, every = parts_sheet(worked), gather(parts_list(worked).needed.values())
        together = lines(sheet)
        assert sum(line.count for _, line in together) == sheet.pieces
        assert sheet.pieces == every.count + sheet.small + sheet.missing
        priced = sum(float(line.each) * line.count for _, line in together if line.each)
        assert priced == pytest.approx(every.cost, rel=5e-3)
        assert priced == pytest.approx(float(sheet.cost), rel=1e-2)


def test_a_reference_stays_with_its_part_whatever_else_changes(worked, refuge, shelf):
    def called(at: Worked) -> dict[tuple[str, str], str]:
        return {(block, line.what): bare(line.reference) for block, line in lines(parts_sheet(at))}

    before = called(worked)
    stronger = refuge.but(power={"continuous": 900.0, "surge": 1500.0})
    bare_clamp = {"front_end.clamp": "none", "front_end.parallel": 4, "rectifier.damper": "none"}
    for brief, pins in ((stronger, {}), (refuge, bare_clamp), (refuge, {"isolation.coil_clamp": "diode and zener"})):
        after = called(work_out(brief, pins, shelf, USUAL))
        shared = before.keys() & after.keys()
        assert len(shared) > 40
        assert {k: before[k] for k in shared} == {k: after[k] for k in shared}
        if pins == bare_clamp:
            assert before.keys() - after.keys() >= {("front_end", "clamp resistor"), ("rectifier", "damper capacitor")}


def test_gates_are_counted_by_their_switches(refuge, shelf):
    at = work_out(refuge, {"front_end.parallel": 3, "h_bridge.parallel": 1}, shelf, USUAL)
    count = {line.reference: line.count for _, line in lines(parts_sheet(at))}
    assert count["Q201.1…6"] == count["R1001.1…6"] == count["R1003.1…6"] == 6  # a push-pull has two positions
    assert count["Q601.1…4"] == count["R1101.1…4"] == 4
    assert count["C1101.1…2"] == 2  # a bootstrap for each leg


def test_a_zener_at_each_gate_lies_between_its_drive_and_what_the_gate_stands(refuge, shelf):
    at = work_out(refuge, {"bridge_drive.zener": "fitted", "bridge_drive.supply": 14.0}, shelf, USUAL)
    line = next(line for _, line in lines(parts_sheet(at)) if line.reference == "D1102.1…4")
    assert line.value == "14 V to 20 V"
    assert not any(bare(line.reference) == "D1102" for _, line in lines(parts_sheet(work_out(refuge, {}, shelf, USUAL))))


def test_the_drawer_is_counted_down_line_by_line(worked, refuge, shelf):
    switch = worked.builds["front_end"].switch
    where = ("mosfet", switch)
    for held, said in ((1, "1 of 2, salvaged"), (2, "all of 2, salvaged"), (9, "all of 2, salvaged")):
        stocked = shelf.stocked({where: Stock(count=held, condition="salvaged")})
        at = work_out(refuge, {"front_end.switch": switch, "front_end.parallel": 1}, stocked, USUAL)
        line = next(line for _, line in lines(parts_sheet(at)) if line.part == switch)
        assert line.drawer == said
        price = shelf.get(Mosfet, switch).price
        assert float(line.each) == pytest.approx(price, rel=5e-3), "what the drawer weighs in proposals is no price"
        assert float(line.price) == pytest.approx(max(0, 2 - held) * price, rel=5e-3)
        whole = sum(float(line.price) for _, line in lines(parts_sheet(at)) if line.price)
        assert float(parts_sheet(at).cost) == pytest.approx(whole, rel=1e-2)
    at = work_out(refuge, {}, shelf, USUAL)
    assert not any(line.drawer for _, line in lines(parts_sheet(at)))


def test_what_the_shelf_has_not_stays_on_the_list(refuge, shelf):
    bare_shelf = Shelf([p for kind in KINDS.values() if kind is not Relay for p in shelf.all(kind)])
    at = work_out(refuge, {}, bare_shelf, USUAL)
    sheet = parts_sheet(at)
    relays = [line for _, line in lines(sheet) if line.missing]
    assert [bare(line.reference) for line in relays] == ["K1201", "K1301"]
    assert all(line.part == "none on the shelf" and "contact current" in line.asked for line in relays)
    assert sheet.missing == sum(line.count for line in relays)


def test_the_csv_says_what_the_sheet_says(worked):
    rows = list(csv.DictReader(io.StringIO(parts_csv(worked))))
    assert tuple(rows[0]) == COLUMNS
    sheet = lines(parts_sheet(worked))
    assert [r["reference"] for r in rows] == [line.reference for _, line in sheet]
    assert [r["asked"] for r in rows] == [line.asked for _, line in sheet]
    assert sum(int(r["count"]) for r in rows) == parts_sheet(worked).pieces


def test_a_winding_is_told_by_turns_strands_and_length(worked):
    build = worked.builds["transformer"]
    line = next(line for _, line in lines(parts_sheet(worked)) if line.what == "transformer secondary")
    assert line.reference == "T301"
    assert line.part == build.secondary_wire
    turns, length = line.value.split(" turns")[0], float(line.value.rsplit(", ", 1)[1].split()[0])
    assert int(turns) == build.secondary_turns
    mean_turn = length / build.secondary_turns
    assert 0.02 < mean_turn < 0.5  # as far round as cores of a hand's size are


def test_what_a_circuit_draws_with_a_reference_is_on_the_list(sized):
    """In any design that has the part: a circuit shows those that may be left out too."""
    listed = {bare(line.reference) for worked in sized for _, line in lines(parts_sheet(worked))}
    called = re.compile(r"[A-Z]+\d{3,4}")
    drawn = {m[0] for worked in sized for b in explain(worked, {}).blocks if b.circuit
             for t in b.circuit.texts if (m := called.match(t.name))}  # fmt: skip
    assert len(drawn) > 15
    assert drawn <= listed


def test_stages_with_parts_have_sheets_of_their_own(sized):
    for worked in sized:
        for group in parts_sheet(worked).groups:
            stage = next(s for s in worked.stages if s.key == group.block)
            assert stage.sheet, group.block


def test_two_stages_of_one_path_cannot_share_a_sheet():
    class Doubled(type(ROUTES["push-pull link"])):
        def stages(self, waveform, *beside):
            return tuple(replace(s, sheet=3) if s.key == "rectifier" else s for s in super().stages(waveform, *beside))

    link = ROUTES["push-pull link"]
    doubled = object.__new__(Doubled)
    doubled.__dict__.update({k: v for k, v in link.__dict__.items() if k not in ("known", "builds")}, key="doubled")
    with pytest.raises(ValueError, match="transformer and rectifier of ‘doubled’ have the same sheet"):
        register(doubled)
    assert "doubled" not in ROUTES


@pytest.mark.parametrize("ref", ["", "R", "1", "R0", "R100", "ZZ1", "R1.2", "r1"])
def test_what_is_no_reference_is_refused(ref):
    with pytest.raises(ValueError, match="is no reference: one of C, D"):
        designator(3, ref)


def test_references_read_as_they_are_written():
    assert designator(3, "Q1") == "Q301"
    assert designator(11, "RP12") == "RP1112"
    assert several("Q301", 1) == "Q301"
    assert several("Q301", 4) == "Q301.1…4"
    assert legend(["RV1301", "Q301.1…4", "Q601"]) == (("Q", "transistor"), ("RV", "surge suppressor"))


def test_the_switch_of_the_list_is_the_one_of_the_sheet(worked, shelf):
    line = next(line for _, line in lines(parts_sheet(worked)) if bare(line.reference) == "Q201")
    assert shelf.get(Mosfet, line.part).id == worked.builds["front_end"].switch
