"""Conduction steps: interval by interval, which devices conduct, how long, and where the current goes.

Switches are named by their places, in braces, in the order in which their circuit has them: what stands there is called by its
reference once a circuit is drawn.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Self

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.brief import Brief
from rhombos.core.frame.topology import Rectifying, Topology
from rhombos.core.units.quantities import fmt


class Interval(BaseModel):
    """One interval: `path` names the way to draw on the circuit; the share of the period it lasts."""

    model_config = ConfigDict(frozen=True)

    path: str
    title: str
    devices: tuple[str, ...]
    share: float
    duration: str
    text: str

    def calling(self, switches: Mapping[str, str]) -> Self:
        """With the switches by their names in the place of their places."""

        def called(text: str) -> str:
            return _PLACE.sub(lambda found: switches.get(found[1], found[0]), text)

        return self.model_copy(
            update={"title": called(self.title), "text": called(self.text), "devices": tuple(called(d) for d in self.devices)}
        )


_PLACE = re.compile(r"\{(\d)\}")


def _interval(path: str, title: str, devices: tuple[str, ...], share: float, period: float, text: str) -> Interval:
    return Interval(path=path, title=title, devices=devices, share=share, duration=fmt(share * period, "s"), text=text)


SIDES = {
    "push-pull": (("{1}",), ("{2}",)),
    "half-bridge": (("{1}",), ("{2}",)),
    "full bridge": (("{1}", "{4}"), ("{2}", "{3}")),
}
INWARD = {
    "push-pull": ("from the rail through one half of the primary to ground; the idle half stands at twice the rail",) * 2,
    "half-bridge": (
        "from the upper rail through the primary into the mid-point of the banks",
        "from the mid-point of the banks through the primary to ground",
    ),
    "full bridge": (
        "from the rail through the primary, left to right, to ground",
        "from the rail through the primary, right to left, to ground",
    ),
}


def front_end_intervals(
    topology: Topology, duty: float, frequency: float, pulse: float, clamped_by_part: bool, how: Rectifying | None = None
) -> tuple[Interval, ...]:
    """The four intervals of a dual-ended stage.

    Args: duty of one switch, held to a half; frequency of one switch, Hz; pulse current of the primary, A; how it is
    rectified, if the load itself does not follow.
    """
    period, on = 1 / frequency, min(0.5, duty)
    rest = 0.5 - on
    amps = fmt(pulse, "A")
    driven, resting = "The secondary drives the load.", "Then nothing drives the load."
    if how:
        diodes = "two diodes" if how.series == 2 else "one diode"
        driven = f"The secondary drives {diodes}, and the link choke's current rises."
        resting = (
            f"Then the choke's current circulates through {'all four' if how.diodes == 4 else 'both'} rectifier diodes, "
            "and the link lives on it."
        )
        if not how.choke:
            bank = "one of the two banks" if how.gain == 2 else "the link's bank"
            driven = f"The secondary charges {bank} through {diodes}; leakage and resistance alone hold the current."
            resting = "Then no diode conducts, and the link lives on its bank."
    found = []
    for n, (devices, way) in enumerate(zip(SIDES[topology.name], INWARD[topology.name], strict=True)):
        side = "ab"[n]
        together = " and ".join(devices)
        found.append(
            _interval(f"{topology.name}:{side}", f"{together} on", devices, on, period, f"{amps} flow {way}. {driven}")
        )
        if topology.clamped:
            tail = "Its leakage keeps the primary's current going through the body diodes of the other side, back to the rail."
        elif clamped_by_part:
            tail = "Its leakage lifts the drain above twice the rail until the clamp's diode takes the current."
        else:
            tail = "Its leakage lifts the drain until the switch breaks down: nothing takes the current."
        found.append(_interval(f"{topology.name}:{side}-off", "all off", (), rest, period, f"{tail} {resting}"))
    return tuple(found)


def bridge_intervals(
    brief: Brief, carrier: float, modulation: float, fraction: float, feed: str = "link"
) -> tuple[Interval, ...]:
    """The states of the output bridge: of unipolar PWM near the crest of the sine, or of a stepped wave; `feed` is what people
    call its rail."""
    line = brief.output.frequency
    if brief.output.stepped:
        period, on = 1 / line, fraction / 2
        rest = 0.5 - on
        zero = "Both lower switches hold the output at zero: whatever the load's inductance drives, its voltage cannot rise."
        found = [
            _interval(
                "bridge:plus",
                "{1} and {4} on",
                ("{1}", "{4}"),
                on,
                period,
                f"The {feed} stands across the load, one way round.",
            )
        ]
        if rest > 0:
            found.append(_interval("bridge:low", "{2} and {4} on", ("{2}", "{4}"), rest, period, zero))
        found.append(
            _interval(
                "bridge:minus",
                "{2} and {3} on",
                ("{2}", "{3}"),
                on,
                period,
                f"The {feed} stands across the load, the other way round.",
            )
        )
        if rest > 0:
            found.append(_interval("bridge:low", "{2} and {4} on", ("{2}", "{4}"), rest, period, zero))
        return tuple(found)
    period, on = 1 / carrier, min(1.0, modulation)
    rest = (1 - on) / 2
    return (
        _interval(
            "bridge:plus",
            "{1} and {4} on",
            ("{1}", "{4}"),
            on / 2,
            period,
            f"At the crest of the positive half: the {feed} drives the inductor, and its current rises.",
        ),
        _interval(
            "bridge:high",
            "{1} and {3} on",
            ("{1}", "{3}"),
            rest,
            period,
            f"Both upper switches on: the inductor's current circulates through them; nothing is drawn from the {feed}.",
        ),
        _interval(
            "bridge:plus",
            "{1} and {4} on",
            ("{1}", "{4}"),
            on / 2,
            period,
            "The second pulse of the same carrier period: the filter sees twice the carrier.",
        ),
        _interval(
            "bridge:low",
            "{2} and {4} on",
            ("{2}", "{4}"),
            rest,
            period,
            "Both lower switches on. In the negative half {2} and {3} take the place of {1} and {4}.",
        ),
    )
