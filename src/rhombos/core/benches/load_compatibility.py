"""Which loads a waveform suits: the judgement practitioners make of each kind, with its reason."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.outputs import LoadKind, Waveform

Verdict = Literal["suits", "bears", "refuses"]
WIDE = 0.10
"""Variation of the output from which even a heater notices."""
BEYOND = 1.15
"""Peak of a wave over a sine's from which a capacitor behind a rectifier is filled beyond what it is made for: mains has 10 %
more at most, and parts little beside that."""
HIGH_FREQUENCY: dict[LoadKind, str] = {
    "adapter": "its rectifier is made for the mains: slow diodes conduct both ways and burn, its filter shorts the wave",
    "rectifier": "diodes made for the mains conduct both ways at this frequency, and burn",
    "instrument": "its iron transformer passes nothing of it, and what does pass heats its iron",
    "fan": "a motor's windings choke it off: it stands still",
    "compressor": "a motor's windings choke it off: it stands still",
}
"""Why loads made for the mains cannot stand high frequency."""
STARTING: dict[LoadKind, float] = {"fan": 3.0, "compressor": 6.0}
"""Starting over running current of motor loads; the texts give 3 to 7."""


class Judgement(BaseModel):
    """A load, whether the wave suits it, and why."""

    model_config = ConfigDict(frozen=True)

    load: LoadKind
    verdict: Verdict
    reason: str


def judge(load: LoadKind, waveform: Waveform, crest: float, swing: float) -> Judgement:
    """One load on one wave.

    Args: crest is peak over RMS of the wave (1.414 of a sine); swing the largest relative departure of the output from the
    voltage asked over source and load. Source: behaviour of the load's input circuit, standard appliance practice.
    """
    verdict, reason = _by_wave(load, waveform, crest)
    if swing > WIDE and verdict != "refuses":
        verdict = "bears"
        reason += (
            f"; the output varies by {swing:.0%}, which shortens its life"
            if load in ("lamp", "heater")
            else (f"; the output varies by {swing:.0%}")
        )
    return Judgement(load=load, verdict=verdict, reason=reason)


def _by_wave(load: LoadKind, waveform: Waveform, crest: float) -> tuple[Verdict, str]:
    if waveform == "sine":
        return "suits", "a sine, as it was made for"
    if load in ("lamp", "heater"):
        return "suits", "only the RMS value counts"
    if waveform == "HF":
        return "refuses", HIGH_FREQUENCY[load]
    if load in ("adapter", "rectifier"):
        if crest > BEYOND * math.sqrt(2):
            over = f"{crest:.2f} times the RMS where a sine's is 1.41"
            return "refuses", f"its capacitor fills to the peak, {over}: beyond what it stands"
        if crest > 1.3:
            return "suits", "its capacitor fills to the peak, which is that of a sine"
        return "bears", f"its capacitor fills to {crest:.2f} times the RMS only, as on a low mains: it may drop out"
    if load == "instrument":
        if waveform == "modified":
            return "bears", "its iron transformer hums and runs warmer on the harmonics"
        return "refuses", "a square wave overheats its iron transformer and mistimes what counts on the zero crossing"
    if load == "fan":
        return "bears", "the harmonics heat the motor without driving it; expect hum and less speed"
    if waveform == "modified":
        return "refuses", "the harmonics heat the motor and take its starting torque: it stalls, and burns"
    return "refuses", "a square wave heats the motor and gives it no clean start"
