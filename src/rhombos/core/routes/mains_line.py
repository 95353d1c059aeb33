"""What a bridge on the rectified mains needs of its bank, and the mains before it."""

from __future__ import annotations

import math

from rhombos.core.blocks import h_bridge, mains_input, output_filter
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.mains_input import Line
from rhombos.core.blocks.regulation import FAR
from rhombos.core.book import bridge as bridge_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.design.sources import MainsSource
from rhombos.core.frame.keys import States
from rhombos.core.frame.sizing import Sizing

MORE = 1.03
"""What a sine's crest needs over itself, before it is known what drops on the way."""
CALM = 0.6
"""Share of the distortion asked that the swing of the bank may make."""


def mains_of(brief: Brief) -> MainsSource:
    """What feeds it. Only such routes ask that take nothing else."""
    source = brief.mains
    assert source is not None, "this route is fed by the mains"
    return source


def least_bank(states: States, brief: Brief, rules: Rules) -> float:
    """The bank that the bridge needs for its output, V: for the crest of a sine with what drops on its way, as far as it may be
    modulated; for pulses as high as their RMS at full width; a square wave follows it as far as the brief's loads bear."""
    output = brief.output
    if output.waveform == "square":
        return (1 - FAR) * output.voltage
    if output_filter.KEY not in states:
        return bridge_book.modified_rms.invert("V_dc", {"V_rms": output.voltage, "fraction": h_bridge.WIDEST})
    drain = states[LOAD]
    return float(states[output_filter.KEY].fundamental * drain.rated / drain.voltage / rules.modulation_limit)


def line_for(brief: Brief, least: float = 0.0) -> Line:
    """The mains for a bridge that needs a bank, V: of a sine one calm enough for the distortion asked."""
    calm = CALM * brief.targets.distortion if brief.output.waveform == "sine" else math.inf
    return mains_input.line_of(mains_of(brief), least, brief.targets.ambient, calm)


def line_at(at: Sizing) -> Line:
    """The mains for a bridge at full power on the lowest of it."""
    return line_for(at.brief, least_bank(at.settled["low"].states, at.brief, at.rules))


def least_guessed(brief: Brief, rules: Rules) -> float:
    """What the bridge needs of the bank, V, before anything is settled."""
    if brief.output.waveform == "sine":
        return MORE * brief.output.peak / rules.modulation_limit
    return least_bank(States(), brief, rules)
