"""Why there is nothing to size: each reason with its finding, and what would help."""

from __future__ import annotations

from rhombos.core.blocks.auxiliary_output import asked_of
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import Finding
from rhombos.core.design.outputs import LOWEST_AUXILIARY
from rhombos.core.parts import KINDS, Shelf
from rhombos.core.routes import ROUTES, Route
from rhombos.core.routes.auxiliary_output import LEAST
from rhombos.core.units.quantities import short


class Unbuildable(ValueError):
    """There is nothing to size; `finding` says why, and what would help."""

    def __init__(self, finding: Finding) -> None:
        super().__init__(finding.cause)
        self.finding = finding

    def __reduce__(self) -> tuple[object, ...]:
        return Unbuildable, (self.finding,)  # of whatever kind: what it says is what counts


class EmptyShelf(Unbuildable):
    """A kind of part that every build needs is not on the shelf at all; `kinds` lists them."""

    def __init__(self, kinds: list[str]) -> None:
        names = ", ".join(k.replace("_", "-") for k in kinds)
        super().__init__(Finding(
            code="shelf.empty", severity="stop", block="input_stage", title="The shelf has no parts to build with",
            cause=f"There is no {names} on the shelf.", remedy="Import parts as CSV, or restore the house parts."))  # fmt: skip
        self.kinds = kinds


class WrongWave(Unbuildable):
    """A route that cannot make the waveform asked."""

    def __init__(self, route: Route, waveform: str) -> None:
        able = " or ".join(route.waveforms)
        super().__init__(Finding(
            code="route.waveform", severity="stop", block="brief",
            title=f"This route makes no {waveform + ' wave' if waveform != 'DC' else 'DC'}",
            cause=f"{route.title}: its output is {able}.",
            remedy=f"Ask for {able} in the brief, or choose another route."))  # fmt: skip


class NothingBeside(Unbuildable):
    """A route that has nothing to make a further output of: no secondary to tap, or a bank from which nothing is led out."""

    def __init__(self, route: Route, brief: Brief) -> None:
        what, why = "high-frequency socket", "no high-frequency secondary to tap"
        remedy = "Choose a route with a high-frequency link, or give that socket a design of its own."
        if brief.auxiliary and not route.lends:
            what, why = "auxiliary output", "its bank is live mains, from which no low voltage is led out without isolation"
            remedy = "Feed that output from an isolated supply of its own."
        super().__init__(Finding(
            code="route.beside", severity="stop", block="brief", title=f"This route has no {what}",
            cause=f"{route.title}: {why}.", remedy=remedy))  # fmt: skip


class AuxiliaryTooHigh(Unbuildable):
    """An auxiliary output too near the source's voltage for a converter that only steps down."""

    def __init__(self, brief: Brief) -> None:
        asked, lowest = asked_of(brief), brief.source.volts[0]
        most = LEAST * lowest
        able = f"Ask {short(most, 'V')} at most" if most > LOWEST_AUXILIARY else "Use a source of more voltage"
        super().__init__(Finding(
            code="route.auxiliary", severity="stop", block="brief", title="Auxiliary output voltage above source range",
            cause=f"A step-down converter makes less than its input: {short(asked.voltage, 'V')} are asked, the source falls "
                  f"to {short(lowest, 'V')}.",
            remedy=f"{able}, or give that output a converter of its own that steps up."))  # fmt: skip


class OtherSource(Unbuildable):
    """A route that stands on another kind of source."""

    def __init__(self, route: Route, kind: str) -> None:
        others = [name for name, other in ROUTES.items() if kind in other.fed_by]
        choose = f"Choose the route ‘{others[0]}’" if len(others) == 1 else "Choose another route"
        cause = (
            "mains alternates, and nothing rectifies it before this route's switches."
            if kind == "mains"
            else f"its rectifier stands on mains; a {kind} needs none."
        )
        super().__init__(Finding(
            code="route.fed_by", severity="stop", block="brief", title=f"This route takes no {kind}",
            cause=f"{route.title}: {cause}", remedy=f"{choose}, or {' or '.join(route.fed_by)} as the source."))  # fmt: skip


class NotAdjustable(Unbuildable):
    """A route that has nothing to turn its output down with."""

    def __init__(self, route: Route) -> None:
        super().__init__(Finding(
            code="route.adjustable", severity="stop", block="brief", title="Nothing turns this output down",
            cause=f"{route.title}: a square wave is as high as what it is made of, and nothing holds that.",
            remedy="Leave the output at one voltage, ask for pulses of controlled width or a sine, or choose a route with a "
                   "link."))  # fmt: skip


class OutOfReach(Unbuildable):
    """A route that makes nothing of this source for this socket, and why."""

    def __init__(self, route: Route, why: str) -> None:
        super().__init__(Finding(
            code="route.source", severity="stop", block="brief", title="Socket voltage beyond this route",
            cause=f"{route.title}: {why[0].lower()}{why[1:]}",
            remedy="Choose another source, another voltage at the socket, or a route with a transformer."))  # fmt: skip


def able(route: Route, brief: Brief) -> Route:
    """The route in the way that it makes the brief's wave. Raises: WrongWave, OtherSource, NothingBeside, OutOfReach,
    NotAdjustable, AuxiliaryTooHigh."""
    if brief.output.waveform not in route.waveforms:
        raise WrongWave(route, brief.output.waveform)
    if brief.source.kind not in route.fed_by:
        raise OtherSource(route, brief.source.kind)
    if not route.makes(brief.waves):
        raise NothingBeside(route, brief)
    route = route.making(brief.output.waveform)
    if why := route.refuses(brief):
        raise OutOfReach(route, why)
    if not route.adjusts(brief):
        raise NotAdjustable(route)
    if brief.auxiliary and brief.auxiliary.voltage > LEAST * brief.source.volts[0]:
        raise AuxiliaryTooHigh(brief)
    return route


def stocked(route: Route, shelf: Shelf) -> None:
    """Nothing, where each kind of part that every build of the route needs is on the shelf. Raises: EmptyShelf."""
    if empty := [k for k in route.needed if not shelf.all(KINDS[k])]:
        raise EmptyShelf(empty)
