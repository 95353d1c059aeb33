"""Writes docs/glossary.md: terms, the quantities of the equation book, and every figure that a route can show."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "glossary.md"
sys.path.insert(0, str(ROOT / "src"))

from rhombos.core.book.relation import SYMBOLS  # noqa: E402
from rhombos.core.design.brief import Brief  # noqa: E402
from rhombos.core.design.rules import PRESETS  # noqa: E402
from rhombos.core.frame.report import BlockReport  # noqa: E402
from rhombos.core.frame.solve import solve  # noqa: E402
from rhombos.core.routes import ROUTES  # noqa: E402
from rhombos.core.units.quantities import UNITS  # noqa: E402
from rhombos.demo import house_shelf  # noqa: E402

TERMS = {
    "Block": "A stage of the power path, or what stands beside it: battery, input … load; controller, drivers, heat.",
    "Brief": "What is asked: source, output, power, loads, targets, surroundings.",
    "Cure": "A change of pins that clears a finding, applied with one click and undone with one.",
    "Figure": "A number of a block with symbol, unit, operating point and, where there is one, its rating.",
    "Finding": "What is wrong or worth knowing: stop, fix, watch or note, with cause, limit and remedy.",
    "Front end": "The stage between battery and transformer: push-pull, half-bridge or full bridge.",
    "House rules": "The margins a design is held to, in three schools; each may be changed.",
    "Link": "The DC bus between rectifier and bridge. Its capacitors stay charged after switch-off.",
    "Operating point": "A battery voltage and a load at which everything is settled: nominal, flat, charging, surge, no load.",
    "Pin": "A value that the designer fixes; everything else is sized around it.",
    "Proposal": "A value that Rhombos chooses: the cheapest that keeps the rules, watts counted in.",
    "Rating": "What the part's maker allows. The house limit lies inside it by a margin.",
    "Revision": "A design as it was saved, numbered; any may be named, compared and brought back.",
    "Route": "A sequence of stages from the battery to the socket.",
    "Stress": "A figure over its rating: what fills the lozenge of a block.",
    "Touch-safe": "At or below 60 V DC, the usual limit; the time until then counts from switch-off with the bleeder alone.",
    "Waiver": "A finding accepted with a written reason, kept in the design's record.",
    "Working": "The relation behind a figure, with the numbers put in, its validity and its source.",
}


def reports() -> Iterator[BlockReport]:
    """Every block of every route with every wave it makes, of one brief."""
    brief = json.loads((ROOT / "examples" / "refuge.json").read_text())["brief"]
    for key, route in ROUTES.items():
        for wave in route.waveforms:
            output = {"kind": wave} if wave in ("DC", "HF") else brief["output"] | {"waveform": wave}
            asked = brief | {"output": output, "power": {k: v for k, v in brief["power"].items() if k != "power_factor"}}
            asked.pop("loads")
            asked = Brief.model_validate(asked)
            yield from solve(asked, {}, house_shelf(), PRESETS["usual"], key).blocks


def general(title: str) -> str:
    """A figure's title without the numbers of one design."""
    return re.sub(r"(?<= )\d[\d.]*( [kMmµn]?[A-Za-zΩ°]+)?(?=$|[ ,])", "…", title)


def _shown(unit: str) -> str:
    return UNITS[unit].shown or "–"


def _math(latex: str) -> str:
    return f"${latex}$" if latex else ""


def page() -> str:
    """The whole page."""
    figures: dict[str, dict[tuple[str, str, str], None]] = {}
    for block in reports():
        rows = figures.setdefault(block.title, {})
        for f in block.figures:
            rows[general(f.title), f.symbol, f.unit if f.value is not None else ""] = None
    lines = [
        "# Glossary",
        "",
        "Written by `docs/glossary.py` from the code: what a term, a symbol and a figure mean.",
        "",
        "## Terms",
        "",
        "| term | meaning |",
        "|---|---|",
    ]
    lines += [f"| {term} | {meaning} |" for term, meaning in sorted(TERMS.items())]
    lines += ["", "## Quantities of the equation book", "", "| symbol | name | meaning | unit |", "|---|---|---|---|"]
    lines += [
        f"| {_math(s.latex)} | `{s.name}` | {s.meaning} | {_shown(s.unit)} |"
        for s in sorted(SYMBOLS.values(), key=lambda s: (s.name.lower(), s.name))
    ]
    lines += ["", "## Figures", ""]
    for title in sorted(figures):
        lines += [f"### {title}", "", "| figure | symbol | unit |", "|---|---|---|"]
        lines += [
            f"| {name} | {_math(symbol)} | {_shown(unit) if unit else 'choice'} |"
            for name, symbol, unit in sorted(figures[title])
        ]
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    OUT.write_text(page())
