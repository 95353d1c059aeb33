"""What is bought by its ratings: what a sizing asks of relays, contactors, fans, pads, opto-couplers …, and what on the shelf
stands it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from rhombos.core.blocks.heat import BLOWN, NTC_TOLERANCE
from rhombos.core.blocks.isolation import OPTO, ZENER
from rhombos.core.blocks.link_loop import CURRENT
from rhombos.core.blocks.precharge import SWITCHED
from rhombos.core.findings import Finding
from rhombos.core.insulation import PADS
from rhombos.core.inventory import Item, fitted
from rhombos.core.parts import FITTINGS, Part, Shelf
from rhombos.core.problems import unit_of
from rhombos.core.report import BlockReport, Figure
from rhombos.core.routes.common import COMMON
from rhombos.core.units import short

if TYPE_CHECKING:
    from rhombos.core.solve import Worked

SAME = 0.02
"""How far a figure that must be met may lie beside it."""
SUPPRESSES = 1.15
"""Working voltage of a suppressor over the least that will do: one for more lets more through."""
LUGS = 4
"""Ends of a pair of battery leads."""
COIL_ENDS = 2.0
"""Highest zener voltage across a coil, over the coil's own."""
DEVICES = ("mosfet", "igbt", "bipolar", "diode")


@dataclass(frozen=True, slots=True)
class Asked:
    """What a block asks of a part of a kind: figures that must be reached, or not passed, and what must be met."""

    block: str
    name: str
    title: str
    kind: str
    least: Mapping[str, float] = field(default_factory=dict)
    most: Mapping[str, float] = field(default_factory=dict)
    exact: Mapping[str, float | str] = field(default_factory=dict)
    count: int = 1

    def told(self) -> str:
        """In words: ``contact current at least 16 A, poles at least 2, coil, rated, 12 V``."""
        fields = FITTINGS[self.kind].model_fields

        def said(name: str, value: float | str) -> str:
            return value if isinstance(value, str) else short(value, unit_of(fields[name]) or "1")

        titled = {n: small(fields[n].title or n) for n in fields}
        return "; ".join((
            *(f"{titled[n]} {said(n, v)}" for n, v in self.exact.items()),
            *(f"{titled[n]} at least {said(n, v)}" for n, v in self.least.items()),
            *(f"{titled[n]} at most {said(n, v)}" for n, v in self.most.items()),
        ))  # fmt: skip


def small(title: str) -> str:
    """A title within a sentence: an abbreviation stays as it is."""
    return title[0].lower() + title[1:] if title[1:2].islower() else title


def chosen(asked: Asked, shelf: Shelf) -> Part | None:
    """The cheapest part that stands what is asked, of equals the one that is least beyond it; None where there is none."""
    model = FITTINGS[asked.kind]
    able = np.ones(len(shelf.all(model)), bool)
    over = np.zeros(len(able))
    for name, least in asked.least.items():
        column = shelf.column(model, name)
        able &= column >= least
        over += column / least if least > 0 else 0.0
    for name, most in asked.most.items():
        able &= shelf.column(model, name) <= most
    for name, value in asked.exact.items():
        column = shelf.column(model, name)
        able &= column == value if isinstance(value, str) else np.abs(column - value) <= SAME * value
    found = np.flatnonzero(able)
    if not found.size:
        return None
    first = int(np.lexsort((over[found], shelf.column(model, "price")[found]))[0])
    return shelf.all(model)[int(found[first])]


def asks(worked: Worked, devices: int) -> Iterator[Asked]:
    """Everything that a sizing asks beside what its blocks choose by name; `devices` sit on its heat-sinks."""
    builds: Mapping[str, Any] = worked.builds
    states = worked.settled["nominal"].states
    yield from _switching(builds, states, worked.brief.output.voltage)
    yield from _cooling(builds, states, devices)
    yield from _signals(builds, worked.rules.reference_tolerance)
    entry = builds["input_stage"]
    yield Asked("input_stage", "lug", "Lug", "connector",
                least={"i_rating": entry.connector, "section": entry.cable, "v_rating": worked.brief.source.volts[2]},
                exact={"form": "ring lug"}, count=LUGS * entry.runs)  # fmt: skip


def _switching(builds: Mapping[str, Any], states: Mapping[str, Any], output: float) -> Iterator[Asked]:
    guard, start, coils = builds["protection"], builds["precharge"], builds["isolation"]
    coil = {"v_coil": coils.coil_rated}
    relays = 1
    yield Asked(
        "protection",
        "relay",
        "Socket relay",
        "relay",
        least={"i_rating": guard.output_relay, "v_ac": guard.output_high, "poles": 2},
        exact=coil,
    )
    yield Asked(
        "protection",
        "varistor",
        "Surge suppressor",
        "suppressor",
        least={"v_ac": guard.suppressor},
        most={"v_ac": SUPPRESSES * guard.suppressor},
        exact={"form": "varistor"},
    )
    yield Asked(
        "isolation",
        "socket",
        "Socket",
        "connector",
        least={"i_rating": guard.output_fuse, "v_rating": output},
        exact={"form": "mains socket", "touch": "touch-proof"},
    )
    if guard.adjusted and guard.trimmer:
        yield Asked("protection", "trim", "Trimmer of the cut-off", "trimmer", exact={"r": guard.trimmer})
    if start.school == SWITCHED:
        relays += 1
        yield Asked(
            "precharge",
            "part_relay",
            "Precharge relay",
            "relay",
            least={"i_rating": start.relay, "v_dc": start.contact_volts},
            exact=coil,
        )
    yield Asked("precharge", "part_contactor", "Contactor", "contactor",
                least={"i_rating": start.contactor, "v_dc": start.contact_volts, "i_make": states["precharge"].inrush},
                exact=coil)  # fmt: skip
    if coils.coil_clamp == ZENER:
        yield Asked(
            "isolation",
            "coil_zener",
            "Zener across a coil",
            "zener",
            least={"v_zener": coils.coil_rated},
            most={"v_zener": COIL_ENDS * coils.coil_rated},
            count=relays,
        )


def _cooling(builds: Mapping[str, Any], states: Mapping[str, Any], devices: int) -> Iterator[Asked]:
    heat = builds["heat"]
    if heat.case == BLOWN or any(getattr(b, "fan", False) for b in builds.values()):
        yield Asked("heat", "part_fan", "Fan", "fan", least={"flow": heat.airflow}, exact={"v_rated": heat.fan_rated})
    yield Asked(
        "heat",
        "sensor",
        "Thermistor",
        "thermistor",
        most={"tolerance": NTC_TOLERANCE},
        exact={"form": "sensor", "r_25": heat.ntc, "b": heat.ntc_b},
    )
    if PADS[heat.pad].breakdown and devices:
        material = heat.pad.partition(" ")[0].strip(",").replace("thin", "film")
        yield Asked(
            "heat",
            "part_pad",
            "Pad",
            "pad",
            least={"v_proof": states["heat"].proof},
            most={"r": PADS[heat.pad].resistance},
            exact={"material": material},
            count=devices,
        )


def _signals(builds: Mapping[str, Any], tolerance: float) -> Iterator[Asked]:
    barrier = builds["isolation"]
    if barrier.shut_down == OPTO:
        yield Asked(
            "isolation", "shut_down_coupler", "Opto-coupler, shut-down", "opto_coupler", least={"v_proof": barrier.proof}
        )
    if (loop := builds.get("controller")) is None:
        return
    form = "current mode" if loop.control == CURRENT else "voltage mode"
    yield Asked(
        "controller",
        "circuit",
        "Controller",
        "controller",
        least={"f_high": 2 * builds["front_end"].frequency, "outputs": 2},
        exact={"form": form},
    )
    if "opto-coupler" in loop.feedback:
        yield Asked("controller", "coupler", "Opto-coupler of the feedback", "opto_coupler", least={"v_proof": barrier.proof})
    if "reference" in loop.feedback:
        yield Asked(
            "controller",
            "part_reference",
            "Reference",
            "reference",
            most={"tolerance": tolerance},
            exact={"form": "adjustable shunt", "v_ref": loop.reference},
        )
    for name, title in (("timing_trimmer", "Frequency trimmer"), ("set_trimmer", "Set-point trimmer")):
        if ohms := getattr(loop, name):
            yield Asked("controller", f"part_{name}", title, "trimmer", exact={"r": ohms})


@dataclass(frozen=True)
class Bought:
    """What was asked, and what on the shelf stands it."""

    found: tuple[tuple[Asked, Part | None], ...]

    def items(self, block: str) -> tuple[Item, ...]:
        """A block's lines of the parts list."""
        return tuple(fitted(small(a.title), p, a.count) for a, p in self.found if a.block == block and p)

    def shown(self, report: BlockReport) -> BlockReport:
        """A block's report with a figure for each."""
        more = tuple(
            Figure(address=f"{a.block}.{a.name}", symbol="", title=a.title, status="bought", asked=a.told(), part_kind=a.kind,
                   choice=p.id if p else None, text=(f"{a.count} × " if a.count > 1 else "") + p.id if p else "none")
            for a, p in self.found if a.block == report.key)  # fmt: skip
        return report.model_copy(update={"figures": report.figures + more}) if more else report

    def missing(self) -> Iterator[Finding]:
        """One finding for each part that the shelf does not have."""
        for a, part in self.found:
            if part is None:
                yield Finding(
                    code=f"{a.block}.not_on_shelf",
                    severity="note",
                    block=a.block,
                    title="Nothing on the shelf is rated for it",
                    cause=f"{a.title}: {a.told()}.",
                    figure=f"{a.block}.{a.name}",
                    remedy="Buy one of these ratings, or add it to the shelf.",
                )


def named(worked: Worked) -> dict[str, tuple[Item, ...]]:
    """The parts that each block chooses by name."""
    blocks = (*worked.route.blocks(worked.brief.output.waveform), *worked.route.asides(), *COMMON)
    return {b.KEY: b.parts(worked.builds[b.KEY], worked.shelf) for b in blocks}


def parts_of(worked: Worked) -> dict[str, tuple[Item, ...]]:
    """The parts list of each block of a sizing, with what is bought by its ratings."""
    by_name, by_rating = named(worked), bought_for(worked)
    return {key: (*items, *by_rating.items(key)) for key, items in by_name.items()}


def bought_for(worked: Worked) -> Bought:
    """Everything a sizing asks by its ratings, with the shelf's answer."""
    cooled = (items for items in named(worked).values() if any(i.kind == "heat_sink" for i in items))
    devices = sum(i.count for items in cooled for i in items if i.kind in DEVICES)
    return Bought(tuple((a, chosen(a, worked.shelf)) for a in asks(worked, devices)))
