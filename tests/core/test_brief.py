"""The brief refuses what cannot be meant, in words; the form shows it as people write it."""

import subprocess
import sys
from functools import reduce

import pytest
from pydantic import ValidationError

from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.file import Design
from rhombos.core.design.form import brief_fields
from rhombos.core.design.outputs import surge_beside
from rhombos.core.design.problems import Problem, allowed_range, find_field, from_validation, unit_of
from rhombos.core.design.rules import PRESETS
from rhombos.core.design.sources import CELL_VOLTS, BatterySource
from tests.core.asking import written_short


@pytest.mark.parametrize(
    ("power", "surge", "told"),
    [
        ({"continuous": "1k5", "surge": "1200"}, 1500, "Moved from 1.2 kW to 1.5 kW with the continuous power."),
        ({"continuous": 100, "surge": 1200}, 800, "Moved from 1.2 kW to 800 W with the continuous power."),
        ({"continuous": 600, "surge": "1.2 kW"}, "1.2 kW", ""),
        ({"continuous": "x", "surge": 1200}, 1200, ""),
        ({"continuous": 600}, None, ""),
    ],
)
def test_a_surge_follows_a_continuous_power_that_was_changed(power, surge, told):
    fitting, said = surge_beside(power)
    assert fitting.get("surge") == surge
    assert said == told


def refused(content, model=Brief) -> list[Problem]:
    with pytest.raises(ValidationError) as error:
        model.model_validate(content)
    return from_validation(error.value, model)


@pytest.mark.parametrize(
    ("content", "message"),
    [
        ({"output": {"voltage": 600}}, "outputs.0.voltage: 600 V is above the allowed 10 V to 480 V; lower it"),
        ({"output": {"voltage": "9 V"}}, "outputs.0.voltage: 9 V is below the allowed 10 V to 480 V; raise it"),
        ({"output": {"frequency": "50 kHz"}}, "outputs.0.frequency: 50 kHz is above the allowed 5 Hz to 440 Hz; lower it"),
        ({"power": {"continuous": "1k2W"}}, "mixes two notations"),
        ({"power": {"continuous": 600, "surge": 100}}, "surge of 100 W is outside 600 W to 4.8 kW"),
        ({"power": {"power_factor": 0.2}}, "outputs.0.power.power_factor: 0.2 is below the allowed 0.5 to 1; raise it"),
        ({"source": {"cells": 8.5}}, "is not a whole number"),
        ({"source": {"cells": 130}}, "130 LiFePO4 cells make 416 V, allowed 6 V to 400 V; use 2 to 125 cells"),
        ({"source": {"chemistry": "zinc"}}, "sources.0.chemistry: ‘zinc’ is not one of 'LiFePO4', 'Li-ion' or 'lead-acid'"),
        ({"source": {"colour": 3}}, "sources.0.colour is not known here; remove it or check its spelling"),
        ({"source": {"resistance": "7"}}, "sources.0.resistance: ‘7’ is above the allowed 10 µΩ to 5 Ω; lower it"),
        ({"loads": ["kettle"]}, "loads.0: ‘kettle’ is not one of"),
        ({"targets": {"ambient": True}}, "is true/false; write a number"),
        ({"power": {"continuous": float("nan")}}, "outputs.0.power.continuous"),
    ],
)
def test_a_bad_brief_is_told_plainly(content, message):
    messages = [p.message for p in refused(content)]
    assert any(message in m for m in messages), messages


def test_every_fault_is_told_at_once():
    assert len(refused({"output": {"voltage": 1, "frequency": 1}, "power": {"power_factor": 9}})) == 3


@pytest.mark.parametrize("chemistry", CELL_VOLTS)
def test_cell_voltages_rise_from_empty_to_full(chemistry):
    empty, nominal, full = CELL_VOLTS[chemistry]
    assert empty < nominal < full


def test_a_typical_resistance_falls_with_capacity_and_yields_to_a_measured_one():
    small, large = (BatterySource(capacity=3600 * ah).internal_resistance for ah in (50, 200))
    assert small == pytest.approx(4 * large)
    assert BatterySource(resistance=0.02).internal_resistance == 0.02


def test_text_and_numbers_say_the_same():
    by_text = Brief.model_validate({"source": {"capacity": "100 Ah", "cable_length": "1.2 m"}, "power": {"continuous": "0.6k"}})
    by_number = Brief.model_validate({"source": {"capacity": 360_000, "cable_length": 1.2}, "power": {"continuous": 600}})
    assert by_text == by_number


def test_the_form_shows_every_field_as_it_can_be_typed_back(refuge):
    fields = {f.address: f for f in brief_fields(refuge)}
    assert fields["sources.0.capacity"].text == "100 Ah"
    assert fields["sources.0.capacity"].allowed == "1 Ah to 5000 Ah"
    assert fields["sources.0.resistance"].text == ""
    assert fields["sources.0.resistance"].allowed == "10 µΩ to 5 Ω"
    assert fields["sources.0.chemistry"].options == ("LiFePO4", "Li-ion", "lead-acid")
    assert fields["outputs.0.loads"].many
    content = refuge.model_dump(mode="json")
    assert fields.pop("outputs.1.kind").text == "nothing"
    for field in (f for f in fields.values() if f.text and not f.many):
        *within, name = (int(n) if n.isdigit() else n for n in field.address.split("."))
        if name not in range(7):  # shares are the loads'
            reduce(lambda inner, n: inner[n], within, content)[name] = int(field.text) if name == "cells" else field.text
    assert Brief.model_validate(content) == refuge


def test_what_is_drawn_tells_the_figures_of_what_is_there_and_what_the_others_are(refuge):
    def told(brief: Brief) -> dict[str, dict[str, str]]:
        drawn = (f for f in brief_fields(brief) if f.address.endswith(".kind"))
        return {f.title: dict(zip(f.options, f.told, strict=True)) for f in drawn}

    first = told(refuge)
    assert first["Fed by"] == {
        "battery": "8 × LiFePO4, 25.6 V", "DC rail": "a supply of limited current", "mains": "one phase, rectified",
    }  # fmt: skip
    raw = refuge.model_dump(exclude_unset=True) | {"sources": [{"kind": "mains"}]}
    assert told(Brief.model_validate(raw))["Fed by"]["mains"] == "230 V 50 Hz, 207 V at its lowest"
    assert first["Feeds"]["AC"] == "230 V 50 Hz sine, 600 W"
    assert first["and beside it"] == {"nothing": "no more", "HF": "straight from a secondary"}
    fed = refuge.but(
        source={"kind": "DC rail", "nominal": 48.0, "lowest": 44.0, "highest": 52.0, "limit": 20.0}, output={"kind": "HF"}
    )
    second = told(fed)
    others = {"battery": "cells of one kind", "mains": "one phase, rectified"}
    assert second["Fed by"] == others | {"DC rail": "48 V, at most 20 A"}
    assert second["Feeds"]["HF"].startswith("230 V 50 kHz, ")
    assert "and beside it" not in second
    assert second["and at low voltage"]["auxiliary DC"] == "low voltage from the source"
    assert all(words for kinds in (*first.values(), *second.values()) for words in kinds.values())


def test_a_second_socket_comes_and_goes_by_its_kind(refuge):
    raw = refuge.model_dump(mode="json")
    added, _ = followed(raw | {"outputs": [*raw["outputs"], {"kind": "HF"}]}, "outputs.1.kind")
    two = Brief.model_validate(added)
    assert (two.waves, two.continuous, two.surge) == (("sine", "HF"), refuge.power.continuous + 100, refuge.power.surge + 120)
    fields = {f.address: f for f in brief_fields(two)}
    assert (fields["outputs.1.kind"].text, fields["outputs.1.frequency"].text) == ("HF", "50 kHz")
    assert fields["outputs.1.voltage"].allowed == "10 V to 1 kV"
    assert two.but(output={"voltage": 120}).beside == two.beside
    raw = two.model_dump(mode="json")
    left, _ = followed(raw | {"outputs": [raw["outputs"][0], {"kind": "nothing"}]}, "outputs.1.kind")
    assert Brief.model_validate(left) == refuge
    assert "outputs.1.kind: ‘nothing’" in refused(raw | {"outputs": [{"kind": "AC"}, {"kind": "nothing"}]})[0].message


def test_a_design_goes_out_and_comes_back():
    design = Design.model_validate(
        {"name": "x", "brief": {"power": {"continuous": "750 W", "surge": "900"}}, "pins": {"a.b": "4k7"}}
    )
    assert Design.model_validate_json(design.model_dump_json()) == design
    assert refused({"name": ""}, Design)[0].field == "name"
    assert refused({"brief": {"output": {"voltage": 3}}}, Design)[0].field == "brief.outputs.0.voltage"


def test_range_and_unit_are_read_off_the_model():
    voltage = find_field(Brief, ["outputs", "0", "voltage"])
    assert unit_of(voltage) == "V"
    assert allowed_range(voltage) == "10 V to 480 V"
    assert unit_of(find_field(Brief, ["sources", "0", "cells"])) is None
    assert find_field(Brief, ["nowhere"]) is None


def test_presets_grow_bolder_from_cautious_to_frugal():
    cautious, usual, frugal = PRESETS["cautious"], PRESETS["usual"], PRESETS["frugal"]
    for name in ("switch_voltage_margin", "bridge_voltage_margin", "diode_current_margin", "fuse_factor", "sharing_imbalance"):
        assert getattr(cautious, name) >= getattr(usual, name) >= getattr(frugal, name), name
    for name in ("junction_limit", "current_density", "ferrite_peak", "window_fill", "cable_drop", "recovery_share"):
        assert getattr(cautious, name) <= getattr(usual, name) <= getattr(frugal, name), name
    assert all(r.why for r in PRESETS.values())


def test_an_entry_of_a_list_is_refused_with_its_own_range(refuge):
    content = written_short(refuge) | {"shares": [None, "130 %"]}
    with pytest.raises(ValidationError) as refused:
        Brief.model_validate(content)
    told = from_validation(refused.value, Brief)
    assert [p.message for p in told] == ["outputs.0.shares.1: ‘130 %’ is above the allowed 0 % to 100 %; lower it"]


@pytest.mark.parametrize(
    ("before", "now"),
    [("doubtful", "unverified"), ("trusted", "verified"), ("unverified", "unverified")],
)
def test_a_design_of_the_second_format_is_read_in_todays_words(before, now):
    old = {
        "format": 2,
        "brief": {"targets": {"switches": before, "ambient": 31}},
        "pins": {"protection.after_trip": "tries for ever"},
    }
    design = Design.model_validate(old)
    assert design.format == 4
    assert (design.brief.targets.switches, design.brief.targets.ambient) == (now, 31)
    assert design.pins == {"protection.after_trip": "continuous retry"}
    assert Design.model_validate(design.model_dump()) == design


def test_a_design_of_the_first_format_takes_every_step():
    old = {"pins": {"controller.r2": 47e3, "protection.after_trip": "three tries"}}
    assert Design.model_validate(old).pins == {
        "controller.control": "voltage",
        "controller.r2": 47e3,
        "protection.after_trip": "three retries",
    }


@pytest.mark.parametrize(("odd", "field"), [({"brief": 7}, "brief"), ({"brief": {"targets": []}}, "brief.targets")])
def test_what_an_upgrade_cannot_read_is_left_to_the_checks(odd, field):
    assert refused({"format": 2} | odd, Design)[0].field == field


def test_a_pin_that_is_no_word_is_left_as_it_is():
    pins = {"protection.after_trip": 3}
    assert Design.model_validate({"format": 2, "pins": pins}).pins == pins


def test_a_design_of_the_third_format_has_its_battery_and_its_socket_in_lists():
    old = {
        "format": 3,
        "brief": {"source": {"cells": 12}, "output": {"voltage": 120}, "power": {"continuous": 500}, "loads": ["fan"]},
        "pins": {"heat.fan_supply": "battery", "isolation.clip": "battery negative", "front_end.parallel": 2},
        "waivers": [
            {"code": "battery.cannot_give_surge_flat", "reason": "known to all", "on": "2026-01-02"},
            {"code": "protection.battery", "reason": "stays as it is", "on": "2026-01-02"},
        ],
    }
    design = Design.model_validate(old)
    (source,), (output,) = design.brief.sources, design.brief.outputs
    assert (source.kind, source.cells, output.voltage, output.power.continuous, output.loads) == (
        "battery",
        12,
        120,
        500,
        ("fan",),
    )
    assert design.pins == {"heat.fan_supply": "source", "isolation.clip": "source negative", "front_end.parallel": 2}
    assert [w.code for w in design.waivers] == ["source.cannot_give_surge_low", "protection.battery"]


def test_a_brief_is_written_short_or_in_full_but_not_both():
    short = {"source": {"cells": 12}, "output": {"voltage": 120}, "power": {"continuous": 500}, "loads": ["fan"], "shares": []}
    full = {"sources": [short["source"]], "outputs": [short["output"] | {k: short[k] for k in ("power", "loads", "shares")}]}
    assert Brief.model_validate(short) == Brief.model_validate(full)
    for both in (full | {"power": {}}, full | {"source": {}}):
        assert "both given" in refused(both)[0].message


@pytest.mark.parametrize(
    ("bad", "told"),
    [
        ({"sources": []}, "0 sources; allowed 1"),
        ({"outputs": [{}, {}]}, "outputs AC, AC; allowed: AC, DC or HF, HF beside AC or DC"),
        ({"outputs": [{"kind": "HF"}, {"kind": "DC"}]}, "outputs HF, DC; allowed: AC, DC or HF, HF beside AC or DC"),
        ({"outputs": []}, "outputs none; allowed: AC, DC or HF"),
        (
            {"outputs": [{}, {"kind": "HF", "frequency": "1 MHz"}]},
            "outputs.1.frequency: 1 MHz is above the allowed 5 kHz to 150 kHz",
        ),
        ({"source": {"kind": "sun"}}, "sources.0.kind: ‘sun’ is not known; choose one of 'battery', 'DC rail'"),
        ({"sources": [5]}, "sources.0"),
        ({"source": {"kind": "DC rail", "cells": 8}}, "sources.0.cells is not known here"),
        (
            {"source": {"kind": "DC rail", "limit": "2 kA"}},
            "sources.0.limit: 2 kA is above the allowed 500 mA to 1 kA; lower it",
        ),
        ({"source": {"kind": "DC rail", "lowest": 26}}, "not in the order of lowest, nominal and highest"),
    ],
)
def test_what_feeds_it_is_refused_by_its_own_bounds(bad, told):
    assert told in refused(bad)[0].message


def test_some_fields_are_set_otherwise_and_the_rest_stays(refuge):
    other = refuge.but(source={"cells": 16}, output={"waveform": "square"}, power={"continuous": 300.0}, targets={"idle": 9.0})
    assert (other.source.cells, other.output.waveform, other.power.continuous, other.targets.idle) == (16, "square", 300, 9)
    assert (
        other.but(source={"cells": 8}, output={"waveform": "sine"}, power={"continuous": 600}, targets={"idle": 18}) == refuge
    )
    rail = refuge.but(source={"kind": "DC rail", "limit": 40})
    assert (rail.source.kind, rail.source.limit, rail.outputs) == ("DC rail", 40, refuge.outputs)


def test_a_design_is_read_by_whoever_has_not_asked_for_the_routes():
    """Its route is checked against the house's, which register themselves then."""
    asked = "from rhombos.core.design.file import Design; print(Design.model_validate({'route': 'direct bridge'}).route)"
    read = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert read.stdout.strip() == "direct bridge"
