"""What a person asks of the scope."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from rhombos.core.scope.setup import EventName, LoadName, SettingName, SourceName
from rhombos.core.scope.view import GRID, TraceName
from rhombos.core.units.quantities import OrText, Ratio, Second, parse

MOST_GRID = 1_000_000
UNITS: dict[str, str] = {
    "source": "A",
    "input": "V",
    "choke": "A",
    "link": "V",
    "bridge": "V",
    "inductor": "A",
    "shunt": "A",
    "output": "V",
    "load": "A",
    "smoothing": "V",
    "rotor": "A",
    "flux": "V*s",
    "magnetising": "A",
    "power": "W",
}
"""What a trigger's level is typed in."""


class Trigger(BaseModel):
    """Begin the window a little before a trace passes a level, V, A, W or V·s, later than `after`, s."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    trace: TraceName = "output"
    level: Annotated[float, OrText()] = Field(0.0, ge=-1e6, le=1e6, title="Trigger level")
    rising: bool = True
    after: Second = Field(0.0, ge=0, le=10, title="Trigger after")

    @field_validator("level", mode="before")
    @classmethod
    def _read(cls, value: Any, info: ValidationInfo) -> Any:
        return parse(value, UNITS[info.data.get("trace", "output")]) if isinstance(value, str) else value


class Spectrum(BaseModel):
    """The spectrum of a trace over the last line period of the window: to harmonic 40, or to the carrier's third group; a limit
    of one's own, as a share."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    trace: TraceName = "output"
    reach: Literal["harmonics", "carrier"] = "harmonics"
    limit: Ratio | None = Field(None, gt=0, le=10, title="Limit line")


class ScopeAsked(BaseModel):
    """What to record, and which part of it to look at, how closely (`grid` moments beside every edge)."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    load: LoadName = "as designed"
    event: EventName = "steady"
    source: SourceName = "stiff link"
    setting: SettingName = "highest"
    periods: int = Field(4, ge=1, le=20, title="Line periods")
    first: Second | None = Field(None, ge=0, le=10, title="Window from")
    last: Second | None = Field(None, ge=0, le=10, title="Window to")
    traces: tuple[TraceName, ...] = Field(("output", "load"), min_length=1, max_length=4, title="Traces")
    spectrum: Spectrum | None = None
    cursors: tuple[Second, ...] = Field((), max_length=2, title="Cursors")
    trigger: Trigger | None = None
    grid: int = Field(GRID, ge=1000, le=MOST_GRID, title="Moments of the window")
