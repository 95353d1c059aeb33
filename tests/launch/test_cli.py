"""Headless: solve, work, book, import and export; bad input is one line and exit 2."""

import csv
import io
import json
import subprocess
import sys
from pathlib import Path

import pytest

from rhombos.cli import main

ROOT = Path(__file__).parents[2]
REFUGE = str(ROOT / "examples" / "refuge.json")


def refuge(tmp_path, **changes):
    content = json.loads(Path(REFUGE).read_text())
    for section, values in changes.items():
        if section == "pins":
            content["pins"] = values
        else:
            content["brief"][section] |= values
    path = tmp_path / "design.json"
    path.write_text(json.dumps(content))
    return str(path)


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.json")), ids=lambda p: p.stem)
def test_every_example_solves_without_a_stop(path, capsys):
    assert main(["solve", str(path), "--json"]) == 0
    assert "stop" not in {f["severity"] for f in json.loads(capsys.readouterr().out)["findings"]}


def test_the_example_prints_a_full_solution(capsys):
    assert main(["solve", REFUGE]) == 0
    told = capsys.readouterr().out
    for word in ("Push-pull", "Transformer", "efficiency", "stays dangerous", "WATCH"):
        assert word in told


def test_the_parts_list_is_printed_as_csv_and_as_json(tmp_path, capsys):
    assert main(["parts", REFUGE]) == 0
    rows = list(csv.DictReader(io.StringIO(capsys.readouterr().out)))
    assert {"F101", "T301", "Q601.1…4", "U901"} <= {row["reference"] for row in rows}
    assert main(["parts", REFUGE, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["pieces"] == sum(int(row["count"]) for row in rows)
    assert main(["parts", refuge(tmp_path, pins={"h_bridge.carrier": "1M"})]) == 2
    assert "h_bridge.carrier: 1 MHz is above the allowed" in capsys.readouterr().err
    hot_wire = json.loads((ROOT / "examples" / "foam-cutter.json").read_text()) | {"route": "iron push-pull", "pins": {}}
    (tmp_path / "iron.json").write_text(json.dumps(hot_wire))
    assert main(["parts", str(tmp_path / "iron.json")]) == 2
    assert len(capsys.readouterr().err.strip().splitlines()) == 1


def test_waivers_and_changed_rules_are_printed(tmp_path, capsys):
    path = Path(refuge(tmp_path, pins={"protection.after_trip": "continuous retry"}))
    content = json.loads(path.read_text()) | {
        "house": {"bleed_time": "30 s"},
        "waivers": [{"code": "protection.retries", "reason": "a person stands beside it", "on": "2026-11-25"}],
    }
    path.write_text(json.dumps(content))
    assert main(["solve", str(path)]) == 0
    told = capsys.readouterr().out
    assert "(house rules: usual, 1 set otherwise)" in told
    assert "(waived: a person stands beside it)" in told


def test_the_example_as_json_is_a_solution(capsys, solution):
    assert main(["solve", REFUGE, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["build"] == solution.model_dump(mode="json")["build"]


@pytest.mark.parametrize(
    ("changes", "told"),
    [
        ({"output": {"voltage": "600 V"}}, "brief.outputs.0.voltage: 600 V is above the allowed 10 V to 480 V; lower it"),
        ({"power": {"continuous": "1k2W"}}, "mixes two notations"),
        ({"pins": {"h_bridge.carrier": "1M"}}, "h_bridge.carrier: 1 MHz is above the allowed 1 kHz to 150 kHz"),
        ({"pins": {"x.y": 1}}, "not a figure that can be pinned"),
    ],
)
def test_a_malformed_design_exits_2_with_one_line(changes, told, tmp_path, capsys):
    assert main(["solve", refuge(tmp_path, **changes)]) == 2
    lines = capsys.readouterr().err.strip().splitlines()
    assert len(lines) == 1
    assert told in lines[0]


def test_a_missing_or_broken_file_exits_2(tmp_path, capsys):
    assert main(["solve", str(tmp_path / "none.json")]) == 2
    assert "No such file" in capsys.readouterr().err
    (tmp_path / "broken.json").write_text('{"name": ')
    assert main(["solve", str(tmp_path / "broken.json")]) == 2
    assert "is not JSON, line 1" in capsys.readouterr().err


def test_parts_of_ones_own_join_the_shelf(tmp_path, capsys):
    own = tmp_path / "own.csv"
    own.write_text("id,price,strands,strand,outer\nMINE,0.1,1,0.9,0.97\n")
    design = refuge(tmp_path, pins={"transformer.primary_wire": "MINE"})
    assert main(["solve", design, "--json", "--parts", f"wire={own}"]) == 0
    assert json.loads(capsys.readouterr().out)["build"]["transformer"]["primary_wire"] == "MINE"
    own.write_text("id\nMINE\n")
    assert main(["solve", design, "--parts", f"wire={own}"]) == 2
    assert "missing column" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["peak_flux", "V=23.1", "D=0.44", "N=3", "A_e=211", "f_s=55k"], "B_pk = 146.0 mT"),
        (["peak_flux", "B_pk=146m", "D=0.44", "N=3", "A_e=211", "f_s=55k"], "V = 23."),
        (["bleed_time", "t=60", "C=470u", "V=385", "V_safe=60"], "R = 68.67 kΩ"),
        (["dowell", "F_R=1.5", "layers=3"], "xi = "),
    ],
)
def test_a_relation_is_worked_for_any_symbol(arguments, told, capsys):
    assert main(["work", *arguments]) == 0
    assert capsys.readouterr().out.startswith(told)


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["peak_flx"], "there is no relation ‘peak_flx’; near it: peak_flux"),
        (["peak_flux", "V"], "‘V’ is not name=value"),
        (["peak_flux", "V=1"], "missing are"),
        (["peak_flux", "V=1", "Q=3"], "has no symbol Q"),
        (["bleed_time", "R=68k", "C=470u", "V=385", "V_safe=500"], "outside 1 V to 120 V"),
    ],
)
def test_a_relation_that_cannot_be_worked_exits_2(arguments, told, capsys):
    assert main(["work", *arguments]) == 2
    assert told in capsys.readouterr().err


def test_work_as_json(capsys):
    assert main(["work", "ohmic_drop", "I=3", "R=2", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["value"] == 6


def test_the_book_lists_symbols_units_and_sources(capsys):
    assert main(["book"]) == 0
    told = capsys.readouterr().out
    assert told.count("source: ") >= 60
    assert main(["book", "--json"]) == 0
    book = json.loads(capsys.readouterr().out)
    assert len(book) >= 60
    assert all(r["source"] and r["symbols"] and all(s["meaning"] for s in r["symbols"]) for r in book)


def test_house_parts_go_out_as_csv(capsys):
    assert main(["export", "fuse"]) == 0
    assert capsys.readouterr().out.startswith("id,price,breaks,lead,mounting,body,speed,")
    assert main(["export", "valve"]) == 2
    assert "known: mosfet" in capsys.readouterr().err


def test_parts_come_into_the_database(tmp_path, database, monkeypatch, capsys):
    own = tmp_path / "own.csv"
    own.write_text("id,price,strands,strand,outer\nBY-CLI,0.1,1,0.9,0.97\n")
    monkeypatch.setenv("RHOMBOS_DATABASE_URL", database.url)
    assert main(["import", "wire", str(own)]) == 0
    assert capsys.readouterr().out == "1 taken\n"
    from rhombos.store import parts

    with database.session() as session:
        assert parts.remove(session, "wire", "BY-CLI")
    monkeypatch.delenv("RHOMBOS_DATABASE_URL")
    assert main(["import", "wire", str(own)]) == 2
    assert "RHOMBOS_DATABASE_URL" in capsys.readouterr().err


def test_the_published_schema_is_the_models(capsys):
    assert main(["schema"]) == 0
    assert json.loads(capsys.readouterr().out) == json.loads((ROOT / "docs" / "design.schema.json").read_text())


def test_the_module_runs_on_its_own():
    done = subprocess.run(
        [sys.executable, "-m", "rhombos.cli", "work", "ohmic_drop", "I=3", "R=2"], capture_output=True, text=True, check=True
    )
    assert done.stdout == "V_drop = 6.000 V\n"
