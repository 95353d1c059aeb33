"""What a solution tells: figures, blocks, totals. Text is formatted here so that nothing is computed in the browser."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field
from pydantic.json_schema import SkipJsonSchema

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import Finding, PinValue, Severity
from rhombos.core.frame.circuit import Circuit, Drawing, Words, drawn, switches
from rhombos.core.frame.inventory import Item
from rhombos.core.waves.conduction import Interval


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True)


class Figure(_Plain):
    """One figure of a block. `stress` is value over rating (what fills the lozenge); `house` the limit over rating; `asked`
    what a part that is bought by its ratings must stand; `reference` the part that it tells of."""

    address: str
    symbol: str
    title: str
    text: str
    value: float | None = None
    unit: str = "1"
    status: Literal["proposed", "pinned", "result", "bought"] = "result"
    pin: str | None = None
    part_kind: str | None = None
    part_options: tuple[str, ...] = ()
    choice: str | None = None
    allowed: str = ""
    rating_text: str | None = None
    stress: float | None = None
    house: float | None = None
    severity: Severity | None = None
    step: str | None = None
    point: str | None = None
    asked: str | None = None
    reference: str = ""


class StepRow(_Plain):
    """One quantity of a worked step: `pin` is what to pin if it is solved for, `whole` whether only integers will do."""

    name: str
    latex: str
    meaning: str
    text: str
    pin: str | None = None
    whole: bool = False


class StepOut(_Plain):
    """A worked step as plain data; its typeset form comes from the book on demand. The relation ``sum`` adds its rows."""

    relation: str
    inputs: dict[str, float]
    value: float
    rows: tuple[StepRow, ...]


class BlockReport(_Plain):
    """One block of the power path at the nominal point, with its worst stress over all points. `given` is what leaves the path
    there, in words, where it goes on behind it; `auxiliary` one that lies beside it; `live` one that is joined to the mains.
    `words` are what a circuit says
    beside the figures; `circuit` is it, as it is drawn."""

    key: str
    title: str
    headline: str
    remark: str
    loss: float
    loss_text: str
    power_in: float
    power_out: float
    stress: float
    severity: Severity | None
    figures: tuple[Figure, ...]
    words: SkipJsonSchema[dict[str, str]] = Field(default_factory=dict, exclude=True)
    given: str = ""
    auxiliary: bool = False
    live: bool = False
    intervals: tuple[Interval, ...] = ()
    circuit: Drawing | None = None

    def drawn(self, circuit: Callable[[Words], Circuit], sheet: int = 0, items: Sequence[Item] = ()) -> Self:
        """With its circuit, on a sheet of this number, with the parts of the list; what is told of its switches calls them as
        there."""
        figures = {f.address.partition(".")[2]: f.text for f in reversed(self.figures)}
        words = figures | self.words
        made = circuit(words)
        named = switches(made, sheet, items)
        return self.model_copy(
            update={"circuit": drawn(made, words, sheet, items), "intervals": tuple(i.calling(named) for i in self.intervals)}
        )

    def alone(self) -> Self:
        """Of a block with no design about it: nobody keeps its workings."""
        return self.model_copy(update={"figures": tuple(f.model_copy(update={"step": None}) for f in self.figures)})


class Margin(_Plain):
    """One stress: `stress` and `house` are shares of the rating; `left` what is left of the house's limit, below zero beyond
    it."""

    block: str
    where: str
    address: str
    title: str
    text: str
    rating: str
    stress: float
    house: float
    left: float
    left_text: str
    severity: Severity | None
    point: str


class Totals(_Plain):
    """The whole at the nominal point."""

    power_in: float
    power_out: float
    lost: float
    efficiency: float
    idle: float
    run_time: float | None
    balance: float
    stored_energy: float
    safe_time: float
    link_voltage: float
    texts: dict[str, str]


class Operating(_Plain):
    """What the waveforms need of the nominal point: V, Hz, H, Ω, F, as seen from the socket. `index` leaves out dead time
    and thresholds; `ratio` is that of a transformer between the bridge and the socket; dead time, s, and the angle, rad, by
    which the inductor's current lags the bridge, whose sign decides what the dead time does; inductance of the transformer's
    iron, H, 0 without one."""

    index: float
    v_link: float
    carrier: float
    line: float
    inductance: float
    resistance: float
    capacitance: float
    load_resistance: float
    load_inductance: float
    ratio: float = 1.0
    dead_time: float = 0.0
    lag: float = 0.0
    magnetising: float = 0.0


class Stepped(_Plain):
    """What the scope needs of the nominal point of a stepped wave, as seen from the socket: what feeds the bridge and the level
    that it makes of that without a load, V, for a share of the time; Ω and H on the way; the series R–L that takes the power
    asked of just this wave, Ω and H; whether the source lets go between pulses (a push-pull) or holds its output at zero. On
    direct voltage the level never turns, and `line` only says how long a record is."""

    v_link: float
    level: float
    fraction: float
    line: float
    resistance: float
    inductance: float
    load_resistance: float
    load_inductance: float
    ratio: float = 1.0
    lets_go: bool = False
    direct: bool = False


class Solution(_Plain):
    """A complete, explained sizing. A value: same brief, pins, shelf and rules, same solution."""

    route: str
    brief: Brief
    rules: str
    pins: dict[str, PinValue]
    blocks: tuple[BlockReport, ...]
    findings: tuple[Finding, ...]
    margins: tuple[Margin, ...] = ()
    totals: Totals | None
    operating: Operating | None
    build: dict[str, dict[str, PinValue]]
    steps: dict[str, StepOut]
