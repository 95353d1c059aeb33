"""Pictures of the precharge: the sequence as it should go, and as each fault makes it go."""

from __future__ import annotations

from functools import partial

import numpy as np

from rhombos.core.blocks.precharge import PrechargeBuild, PrechargeNeed
from rhombos.core.frame.solve import Worked
from rhombos.core.parts import Resistor
from rhombos.core.plots.model import Chart, Mark, Role, Scale, Series, roomy
from rhombos.core.precharge import FAULTS, FaultName, Marched, march
from rhombos.core.routes.auxiliary.precharge import need_of
from rhombos.core.units.quantities import fmt

NAMES: dict[FaultName, str] = {
    "none": "Sequence",
    "shorted bus": "With the bus shorted",
    "open resistor": "With the resistor open",
    "welded contactor": "With the positive contactor welded",
    "frozen reading": "With a frozen reading of the bus",
}


COILS: dict[str, Role] = {"negative": "faint", "relay": "second", "positive": "main"}


def sequence(worked: Worked, fault: FaultName) -> Chart:
    """The sequence of a design, with a fault or none."""
    build = worked.built(PrechargeBuild)
    need = need_of(worked)
    return _drawn(need, build, worked.shelf.get(Resistor, build.type), fault)


def pictures(need: PrechargeNeed, build: PrechargeBuild, series: Resistor) -> tuple[Chart, ...]:
    """Every sequence of a precharge, the sound one first."""
    return tuple(_drawn(need, build, series, fault) for fault in FAULTS)


def _drawn(need: PrechargeNeed, build: PrechargeBuild, series: Resistor, fault: FaultName) -> Chart:
    """Bus, coils and the resistor's heat from switching on to running or locked."""
    made = march(need, build, series, fault)
    time, bus, celsius = (made.column(n) for n in ("time", "bus", "celsius"))
    t = Scale("s", float(time[-1]))
    y = Scale("1", 1.0)
    tall = max(need.volts, float(celsius.max()))
    curves = [
        Series(name="bus, V", x=t.all(time), y=y.all(bus)),
        Series(name="resistor, °C", x=t.all(time), y=y.all(celsius), role="third"),
    ]
    for n, (coil, name) in enumerate((("negative", "negative"), ("relay", "relay"), ("positive", "positive"))):
        begins = [s.begin for s in made.steps] + [made.steps[-1].end]
        on = [float(getattr(s, coil)) for s in made.steps]
        foot = tall * (1.15 + 0.17 * n)
        levels = [foot + 0.1 * tall * x for x in (*on, on[-1])]
        curves.append(Series(name=name, x=t.all(begins), y=y.all(levels), kind="steps", role=COILS[coil]))
    marks = (Mark(at=y(build.close_at * need.volts), label=f"closes at {fmt(build.close_at * need.volts, 'V')}", role="house"),)
    return Chart(
        key=f"sequence-{fault.replace(' ', '-')}",
        title=NAMES[fault],
        x=t.axis("time", low=0, high=roomy(float(time[-1]) / 1.04)),
        y=y.axis("V, °C; coils above", low=0, high=roomy(tall * 1.6)),
        series=tuple(curves),
        marks=marks,
        remark=_told(made, celsius),
    )


def _told(made: Marched, celsius: np.ndarray) -> str:
    tried = sum(s.state == "precharge" for s in made.steps)
    waited = next((s for s in made.steps if s.state == "precharge"), None)
    hot = f" The resistor reaches {fmt(float(celsius.max()), 'degC')}."
    if made.ended == "run" and waited is not None:
        return f"The bus arrives after {fmt(waited.end - waited.begin, 's')} of precharge; then the contactor closes.{hot}"
    last = made.steps[-1].why
    return f"{last[0].upper()}{last[1:]}; {tried} {'try' if tried == 1 else 'tries'}.{hot}"


SEQUENCES = tuple(partial(sequence, fault=fault) for fault in FAULTS)
"""One picture for each fault, the sound sequence first."""
