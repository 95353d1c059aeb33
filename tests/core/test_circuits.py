"""Circuits as data: what they draw is built, what they say is known, and all of it can be read."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from benchmarks.cases import drawn as case

from rhombos.core.circuits import high_side
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.circuit import Circuit, Drawing, DrawnText, Element, Label, Place, drawn, missing
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.references import designator
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.parts import Shelf
from rhombos.core.precharge.tool import Bus, see
from rhombos.core.routes import ROUTES

USUAL = PRESETS["usual"]
MONO, BOLD, HIGH = 7.55, 7.3, 11.0
"""Widths of a character of a value and of a name, px, and the height of either."""
AC = {"voltage": 230}
MADE: list[tuple[str, dict[str, object], dict[str, object]]] = [  # route, output, pins: every way that a circuit differs
    ("push-pull link", AC, {}),
    ("push-pull link", AC, {"front_end.clamp": "none", "rectifier.damper": "none", "front_drive.pull_down": 0,
                            "controller.feedback": "zener string and opto-coupler", "isolation.clip": "on the bridge"}),
    ("half-bridge link", AC, {"front_end.parallel": 2, "isolation.output": "one pole earthed",
                              "heat.case": "blown through", "heat.sink": "earthed, in reach"}),
    ("full-bridge link", AC | {"waveform": "modified"}, {"rectifier.circuit": "doubler, no choke", "front_end.parallel": 3}),
    ("full-bridge link", {"kind": "DC", "voltage": 48, "down_to": 12}, {"controller.feedback": "bare divider"}),
    ("push-pull link", {"kind": "DC", "voltage": 340}, {"precharge.school": "left across the contactor"}),
    ("push-pull link", {"kind": "HF"}, {}),
    ("iron push-pull", AC | {"waveform": "modified", "down_to": 150}, {}),
    ("iron bridge", AC | {"down_to": 60}, {"isolation.output": "a pole on the source"}),
    ("self-oscillating", AC | {"waveform": "square"}, {}),
]  # fmt: skip


@pytest.fixture(scope="module")
def made(shelf: Shelf) -> list[Worked]:
    """A design for each way that circuits differ, and some at random over every route."""
    own = []
    for route, output, pins in MADE:
        own.append(work_out(Brief.model_validate({"output": output}), pins, shelf, USUAL, route))  # type: ignore[arg-type]
    cases = [case(n, 411) for n in range(24)]
    return own + [work_out(c.brief, {}, shelf, USUAL, c.route) for c in cases]


def circuits(worked: Worked) -> Iterator[tuple[str, Circuit, Drawing, set[str]]]:
    """Every block's circuit, as data and as it is drawn, with the names of its fields and figures."""
    told = {b.key: b for b in explain(worked, {}).blocks}
    for stage in worked.stages:
        block = told[stage.key]
        assert stage.circuit is not None, stage.key
        assert block.circuit is not None, stage.key
        figures = {f.address.partition(".")[2]: f.text for f in reversed(block.figures)}
        yield stage.key, stage.circuit(figures | block.words), block.circuit, set(figures) | set(stage.build.model_fields)


def test_every_symbol_that_stands_for_something_names_a_field_or_a_figure(made: list[Worked]):
    for worked in made:
        for block, circuit, _, known in circuits(worked):
            assert {e.part for e in circuit.elements if e.part} <= known, block


def test_every_reference_is_a_line_of_the_parts_list(made: list[Worked]):
    """And switches at several places are called once each, whatever their number."""
    named = 0
    for worked in made:
        for stage in worked.stages:
            items = (*stage.parts(worked.builds[stage.key], worked.shelf), *stage.small(worked))
            asked = {r.ref for r in stage.requirements(worked)}
            assert stage.circuit is not None
            block = next(b for b in explain(worked, {}).blocks if b.key == stage.key)
            figures = {f.address.partition(".")[2]: f.text for f in reversed(block.figures)}
            circuit = stage.circuit(figures | block.words)
            for element in circuit.elements:
                if element.ref:
                    assert element.ref in {i.ref for i in items} | asked, (stage.key, element.ref)
            switches = [e for e in circuit.elements if e.ref == "Q1"]
            if switches:
                count = sum(i.count for i in items if i.ref == "Q1")
                assert block.circuit is not None
                whole = designator(stage.sheet, "Q1")
                called = [n for t in block.circuit.texts if t.name.startswith(whole) for n in _numbers(t.name)]
                assert sorted(called) == list(range(1, count + 1)), stage.key
                named += 1
    assert named > 20


def _numbers(name: str) -> list[int]:
    first, _, last = name.partition(".")[2].partition("…")
    return list(range(int(first), int(last or first) + 1))


def boxes(text: DrawnText) -> Iterator[tuple[float, float, float, float]]:
    """Where a text stands: left, top, right, bottom of its name and of the value beneath."""
    for line, (words, wide) in enumerate(((text.name, BOLD), (text.value.strip(), MONO))):
        if words:
            width, y = wide * len(words), text.y + (15 if line and text.name else 0)
            left = {"start": text.x, "middle": text.x - width / 2, "end": text.x - width}[text.at]
            yield left, y - HIGH + 2, left + width, y + 1


def test_nothing_that_is_written_is_clipped_or_lies_on_another_word(made: list[Worked]):
    found: set[tuple[str, ...]] = set()
    for worked in made:
        for block, _, drawing, _ in circuits(worked):
            there = [(t.name or t.value, b) for t in drawing.texts for b in boxes(t)]
            found |= {("clipped", block, said) for said, (left, top, right, bottom) in there
                      if left < -6 or right > 478 or top < -3 or bottom > 196}  # fmt: skip
            for n, (one, a) in enumerate(there):
                for other, b in there[n + 1 :]:
                    apart = a[2] <= b[0] + 3 or b[2] <= a[0] + 3 or a[3] <= b[1] + 1 or b[3] <= a[1] + 1
                    if not apart:
                        found.add(("overlaps", block, one, other))
    assert found == set()


def test_current_paths_are_drawn_where_intervals_tell_of_them(made: list[Worked]):
    told = 0
    for worked in made:
        for b in explain(worked, {}).blocks:
            assert b.circuit is not None
            assert {i.path for i in b.intervals} <= set(b.circuit.paths) or not b.intervals, b.key
            names = {t.name for t in b.circuit.texts}
            for interval in b.intervals:
                assert set(interval.devices) <= names, b.key
                assert all(d in interval.title for d in interval.devices)
                assert "{" not in interval.title + interval.text
            told += len(b.intervals)
    assert told > 50


@pytest.mark.parametrize("name", list(ROUTES))
def test_no_key_is_drawn_twice(name: str, made: list[Worked]):
    """The page tells elements apart by their places."""
    for worked in (w for w in made if w.route.key == name):
        for block, _, drawing, _ in circuits(worked):
            for places in (
                [(s.symbol, s.x, s.y) for s in drawing.symbols], drawing.wires, [(n.x, n.y) for n in drawing.nodes],
                [(t.x, t.y) for t in drawing.terminals], [(t.x, t.y) for t in drawing.texts], [s.d for s in drawing.shapes],
            ):  # fmt: skip
                assert len(set(places)) == len(places), (block, places)


def test_positions_share_the_parts_and_a_core_with_its_wire_is_one():
    four = Circuit(elements=tuple(
        Element(symbol="mosfet", ref="Q1", position=n, positions=4, x=0, y=0, label=Place(x=n, y=0)) for n in (1, 2, 3, 4)))  # fmt: skip
    pair = [Item("Q1", "switch", "M", 8, 1.0)]
    assert [t.name for t in drawn(four, {}, 6, pair).texts] == ["Q601.1…2", "Q601.3…4", "Q601.5…6", "Q601.7…8"]
    choke = Circuit(elements=(Element(symbol="choke", ref="L1", x=0, y=0, label=Place(x=0, y=0)),))
    assert drawn(choke, {}, 4, [Item("L1", "core", "R", 2, 1.0), Item("L1", "wire", "W", 1, 1.0)]).texts[0].name == "L401"


def test_words_in_braces_are_what_the_sheet_says_and_an_unknown_one_is_a_fault():
    said = Circuit(labels=(Label(name="{level}", value="at {place} of 2", x=1, y=1),))
    text = drawn(said, {"level": "12 V", "place": "1"}).texts[0]
    assert (text.name, text.value) == ("12 V", "at 1 of 2")
    with pytest.raises(KeyError):
        drawn(said, {"level": "12 V"})


def test_what_is_not_fitted_is_framed():
    told = missing(10, 20, 100, "none here", "it rings")
    assert [(x.name, x.value, x.tone) for x in told.labels] == [("none here", "", "stop"), ("", "it rings", "stop")]
    assert told.shapes[0].d == "M10 20h100v38h-100z"
    assert re.fullmatch(r"M.*", high_side.GRAETZ.wires[0])


def test_a_bus_without_a_design_has_the_same_circuit(shelf: Shelf):
    seen = see(Bus(voltage=48), {}, shelf, USUAL)
    assert seen.block.circuit is not None
    assert any(t.name == "stage" for t in seen.block.circuit.texts)
