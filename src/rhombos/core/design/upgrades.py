"""Design files of earlier formats, brought up to the present one step by step."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from rhombos.core.design.brief import in_full

FORMAT = 4
"""Format of the design files that are written now."""
LOOP = ("crossover", "r2", "c1", "c2", "r3", "c3")


def upgraded(raw: Mapping[str, Any]) -> dict[str, Any]:
    """A design's fields in the present format; a file without a number is of the first.

    Raises: ValueError for a format that this version does not know, naming it.
    """
    found = dict(raw)
    number = found.get("format", 1)
    if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number <= FORMAT:
        raise ValueError(
            f"format {number!r} is not one that this version reads (1 to {FORMAT}); update Rhombos, or export it again"
        )
    for step in range(number, FORMAT):
        found = STEPS[step](found)
    return found | {"format": FORMAT}


def _current_programming(raw: dict[str, Any]) -> dict[str, Any]:
    """From 1: every controller set the choke's voltage; one whose loop is pinned goes on doing so."""
    pins = raw.get("pins")
    if isinstance(pins, dict) and any(f"controller.{name}" in pins for name in LOOP):
        return raw | {"pins": {"controller.control": "voltage", **pins}}
    return raw


RENAMED = {
    "doubtful": "unverified",
    "trusted": "verified",
    "tries for ever": "continuous retry",
    "three tries": "three retries",
}


def _current_words(raw: dict[str, Any]) -> dict[str, Any]:
    """From 2: the field's standard words for where switches come from, and for what follows a short."""
    found, at = dict(raw), "protection.after_trip"
    brief, pins = raw.get("brief"), raw.get("pins")
    if isinstance(pins, dict) and isinstance(pins.get(at), str):
        found["pins"] = pins | {at: RENAMED.get(pins[at], pins[at])}
    if isinstance(brief, dict) and isinstance(targets := brief.get("targets"), dict):
        origin = targets.get("switches")
        if isinstance(origin, str):
            found["brief"] = brief | {"targets": targets | {"switches": RENAMED.get(origin, origin)}}
    return found


CALLED_SOURCE = {"battery": "source", "battery negative": "source negative", "a pole on the battery": "a pole on the source"}
"""What pins of fan, relay coils, heat-sink, neutral and ground clip called it."""


def _sources_and_outputs(raw: dict[str, Any]) -> dict[str, Any]:
    """From 3: one battery and one socket. What is asked of the socket now stands with it; what feeds a design is its source,
    whose lowest voltage is no longer called by a battery's word."""
    found, brief, waivers = dict(raw), raw.get("brief"), raw.get("waivers")
    if isinstance(brief, dict):
        found["brief"] = in_full(brief)
    if isinstance(raw.get("pins"), dict):
        found["pins"] = {a: CALLED_SOURCE.get(v, v) if isinstance(v, str) else v for a, v in raw["pins"].items()}
    if isinstance(waivers, list):
        found["waivers"] = [_by_source(w) if isinstance(w, dict) else w for w in waivers]
    return found


def _by_source(waiver: dict[str, Any]) -> dict[str, Any]:
    block, _, code = str(waiver.get("code")).partition(".")
    if block != "battery":
        return waiver
    return waiver | {"code": f"source.{code.replace('_surge_flat', '_surge_low').replace('_flat', '_low')}"}


STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _current_programming,
    2: _current_words,
    3: _sources_and_outputs,
}
