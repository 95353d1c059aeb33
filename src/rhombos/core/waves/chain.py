"""From the source to the DC link: a rail that sags, fed by a front end that its controller drives, averaged or switched.

The bridge takes the link's current from edge to edge, and gets the link's voltage back; in between lie the choke, the bank and
the loop, marched by midpoint steps that are short against everything in them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from rhombos.core.control.loops import Compensator
from rhombos.core.waves.modulation import Array

LONGEST = 20e-6
"""Longest step between two edges, s."""
OF_SOURCE = 0.25
"""Longest step over what a source and its bank take to follow, where a bridge stands on them: what is kept is joined by
straight lines."""


@dataclass(frozen=True, slots=True)
class Feed:
    """Open-circuit voltage, V; all resistance up to the stage's input, Ω; the input bank, F; inductance of the leads, H."""

    emf: float
    resistance: float
    capacitance: float
    inductance: float = 0.0

    @property
    def follows(self) -> float:
        """The time in which the bank follows the source, s."""
        return max(self.resistance * self.capacitance, math.sqrt(self.inductance * self.capacitance))

    def begins(self, volts: float) -> float:
        """The current with which a bank is fed that stands at a voltage, V: A."""
        return (self.emf - volts) / self.resistance

    def after(self, volts: float, amps: float, taken: float, step: float, at: float = 0.0) -> tuple[float, float, float]:
        """The bank and the current of the source after a step, s, from a moment, s, in which a current, A, is taken; and what
        the bank stands at on the average of it, V. Source: the series R–L–C driven by steps; any text on circuits."""
        rest = self.emf - self.resistance * taken
        off, more = volts - rest, amps - taken
        if not self.inductance:
            turns = step / (self.resistance * self.capacitance)
            after = rest + off * math.exp(-turns)
            return after, (self.emf - after) / self.resistance, rest + off * (-math.expm1(-turns) / turns if turns else 1.0)
        damping, square = self.resistance / (2 * self.inductance), 1 / (self.inductance * self.capacitance)
        if damping**2 > square:  # two decays, the slower without a difference of large numbers
            root = math.sqrt(damping**2 - square)
            slow, fast = math.exp(-square / (damping + root) * step), math.exp(-(damping + root) * step)
            even, odd = (slow + fast) / 2, (slow - fast) / (2 * root)
        else:
            turn, fades = math.sqrt(square - damping**2), math.exp(-damping * step)
            even, odd = fades * math.cos(turn * step), fades * (math.sin(turn * step) / turn if turn else step)
        then = (even + damping * odd) * off + odd / self.capacitance * more
        flows = (even - damping * odd) * more - odd / self.inductance * off
        # the mean from what the inductance and the bank have gained
        gained = self.inductance * (more - flows) + self.resistance * self.capacitance * (off - then)
        return rest + then, taken + flows, rest + (gained / step if step else off)


@dataclass(frozen=True, slots=True)
class FrontEnd:
    """A front end as its link sees it: turns ratio times what the topology makes of its input; choke, H, or 0 where pulses
    charge the bank directly; all resistance on the way, Ω, and drops, V; how often power flows a second, Hz; the
    largest total duty."""

    ratio: float
    inductance: float
    resistance: float
    drop: float
    frequency: float
    most: float


@dataclass(frozen=True, slots=True)
class Loop:
    """What holds the link: set-point, V; compensation; height of the modulator's ramp, V; a further pole, Hz. Programmed, the
    amplifier asks the choke for `programmed` amperes a volt, which it follows so fast, Hz; `fed` is how long, s, the load's
    power is averaged before it is fed forward, 0 where it is not."""

    target: float
    compensator: Compensator
    ramp: float
    pole: float
    programmed: float = 0.0
    follows: float = 0.0
    fed: float = 0.0


@dataclass(frozen=True, slots=True)
class Supply:
    """Source, front end (none where the bridge stands on the source), bank, F, what it leaks through, Ω, the loop (none where
    nothing regulates), losses that no current makes, W, and the bank's series resistance, Ω, where that counts. Where a
    transformer follows the bridge, all is as seen from the socket."""

    feed: Feed
    front_end: FrontEnd | None
    bank: float
    leak: float
    loop: Loop | None
    idle: float
    esr: float = 0.0


@dataclass(frozen=True)
class Trail:
    """What the rail went through: times, s, and at each the link and the stage's input, V, choke and source, A."""

    time: Array
    link: Array
    input: Array
    choke: Array
    source: Array


class Chain:
    """The supply as it marches; `switched` follows every pulse of the front end, else its mean.

    Begin at a time, s, with a link voltage, V, and a current, A, that stand then on the average.
    """

    def __init__(self, supply: Supply, begin: float, volts: float, current: float, switched: bool = False) -> None:
        self.supply, self.switched = supply, switched
        self.link, self.now = volts, begin
        feed, stage = supply.feed, supply.front_end
        self.choke = current if stage else 0.0
        self.duty = 0.0
        self.input = feed.emf
        self._amps, self._share, self._taken = 0.0, 0.0, current
        self._on, self._next, self._rest = False, begin, 0.0
        drawn = current
        if stage:
            for _ in range(20):  # the input sags with what the stage draws
                wanted = (volts + stage.drop + stage.resistance * current) / (stage.ratio * max(self.input, 1e-9))
                self.duty = min(stage.most, max(0.0, wanted)) if stage.inductance else stage.most
                passed = self.duty if stage.inductance else 1.0
                drawn = stage.ratio * passed * current + supply.idle / self.input
                self.input = max(0.3 * feed.emf, feed.emf - feed.resistance * drawn)
        else:
            self.input = volts
        self.source = drawn if stage else feed.begins(volts)
        # what the loop holds at rest: the amplifier's output makes the duty, its input is level
        self._first = self._at_rest(current)
        self._charge, self._charges, self._oldest = 0.0, [(begin, 0.0)], 0
        self._fed = current
        self._across, self._lead, self._told, self._command = 0.0, 0.0, self._first, current
        self._rows: list[tuple[float, float, float, float, float]] = []
        self._keep()

    def stands(self, at: float, width: float, current: float, share: float) -> float:
        """See `engine.Rail`: what the last step took is put on the link, and the coming one gets its middle."""
        if at > self.now:
            self._march(at, self._share * (self._amps + current) / 2)
        self._share, self._amps = share, current
        if self.supply.front_end is None:
            return self._after(self.link, width, share * current)[2]
        gains = self._feed() - share * current
        return self.link + gains * (width / 2 / self.supply.bank + self.supply.esr)

    def finish(self, at: float) -> Trail:
        """All that has been, up to a moment, s."""
        if at > self.now:
            self._march(at, self._share * self._amps)
        rows = np.array(self._rows)
        return Trail(*rows.T)

    def _keep(self) -> None:
        volts = self.input if self.supply.front_end else self.link
        link = self._terminal() if self.supply.front_end else self.link
        self._rows.append((self.now, link, volts, self.choke, self.source))

    def _terminal(self) -> float:
        """What stands at the bank's terminals, V: what it holds, and what flows into it across its series resistance."""
        return self.link + self.supply.esr * (self._feed() - self._taken)

    def _feed(self) -> float:
        """What flows into the link now, A."""
        return self.choke - self.link / self.supply.leak

    def _at_rest(self, current: float) -> float:
        """What the amplifier's output stands at while the link is held, V."""
        loop = self.supply.loop
        if loop is None:
            return 0.0
        if loop.programmed:
            return 0.0 if loop.fed else current / loop.programmed
        return loop.ramp * self.duty

    def _meter(self, step: float, taken: float, loop: Loop) -> None:
        """The mean of what was taken over the time that the power is averaged."""
        self._charge += taken * step
        self._charges.append((self.now + step, self._charge))
        begin = self.now + step - loop.fed
        while self._oldest + 1 < len(self._charges) and self._charges[self._oldest + 1][0] <= begin:
            self._oldest += 1
        at, charge = self._charges[self._oldest]
        if at > begin:  # not so long yet: what was before went on
            return
        self._fed = (self._charge - charge) / max(self.now + step - at, 1e-9)

    def _march(self, until: float, taken: float) -> None:
        stage = self.supply.front_end
        while until - self.now > 1e-12:
            step = min(until - self.now, LONGEST)
            if stage is None:
                step = min(step, OF_SOURCE * self.supply.feed.follows)
                self.link, self.source, _ = self._after(self.link, step, taken)
            else:
                on = self.duty if stage.inductance else 1.0
                if self.switched and stage.inductance:
                    if self._next - self.now <= 1e-12:
                        self._edge(stage)
                    step, on = min(step, self._next - self.now), float(self._on)
                elif self.supply.loop and self.supply.loop.programmed:
                    rate = 2 * math.pi * self.supply.loop.follows
                    on = self.duty = self._steered(self.supply.loop, stage, -math.expm1(-rate * step) / step)
                self._advance(stage, step, on, taken)
            self.now += step
            self._keep()

    def _edge(self, stage: FrontEnd) -> None:
        """The next edge of the front end: a pulse as long as the loop then asks, and its rest."""
        period = 1 / stage.frequency
        if not self._on and self.duty > 0:
            self._on, self._next = True, self.now + max(1e-9, self.duty * period)
            self._rest = max(1e-9, (1 - self.duty) * period)
        elif self._on:
            self._on, self._next = False, self.now + self._rest
        else:
            self._next = self.now + period

    def _after(self, volts: float, step: float, taken: float) -> tuple[float, float, float]:
        """The source's bank, now at a voltage, V, and its current after a step, s, in which a current, A, is taken beside the
        steady losses; and the bank's mean, V."""
        feed = self.supply.feed
        return feed.after(volts, self.source, taken + self.supply.idle / max(volts, 0.1 * feed.emf), step, self.now)

    def _advance(self, stage: FrontEnd, step: float, on: float, taken: float) -> None:
        """Half the bank, the choke, the rest of the bank; then the input, and the loop."""
        supply, before, self._taken = self.supply, self.choke, taken
        pushed = stage.ratio * on * self.input - stage.drop * (on > 0 or self.choke > 0)
        middle = self.link + (self._feed() - taken) * (step / (2 * supply.bank) + supply.esr)
        if stage.inductance:
            ratio = stage.resistance * step / (2 * stage.inductance)
            self.choke = (self.choke * (1 - ratio) + (pushed - middle) * step / stage.inductance) / (1 + ratio)
        else:
            self.choke = (pushed - middle) / (stage.resistance + step / (2 * supply.bank) + supply.esr)
        self.choke = max(0.0, self.choke)  # its diodes let nothing back
        passed = (before + self.choke) / 2 - self.link / supply.leak
        self.link += (passed - taken) * step / supply.bank
        self.input, self.source, _ = self._after(self.input, step, stage.ratio * on * (before + self.choke) / 2)
        if supply.loop:
            if supply.loop.fed:
                self._meter(step, taken, supply.loop)
            self._regulate(supply.loop, step, stage)

    def _alone(self, stage: FrontEnd, command: float) -> float:
        """The duty of pulses that stand alone and carry a mean current, A; where that is more than they can, no limit.

        Source: the triangle of a choke that is charged and empties within a period.
        """
        if command <= 0:
            return 0.0
        down = self.link + stage.drop
        up = stage.ratio * self.input - down
        if up <= 0 or command >= up * down / (stage.ratio * self.input) / (2 * stage.inductance * stage.frequency):
            return math.inf
        return math.sqrt(2 * command * stage.inductance * stage.frequency / (up * (1 + up / down)))

    def _regulate(self, loop: Loop, step: float, stage: FrontEnd) -> None:
        """The compensator and its further pole, each part of it exact for a step with what feeds it held."""
        c, missing = loop.compensator, loop.target - self._terminal()
        fed = missing / c.r1
        if c.r3 > 0 and c.c3 > 0:
            before = self._lead
            self._lead = missing + (before - missing) * math.exp(-step / (c.r3 * c.c3))
            fed += c.c3 * (self._lead - before) / step  # the mean of what flows through it
        # around the amplifier: `across` stands on R2, `first` on C1
        rate = (1 / c.c1 + 1 / c.c2) / c.r2
        rest = fed / c.c2 / rate
        self._across = rest + (self._across - rest) * math.exp(-rate * step)
        self._first += self._across / (c.r2 * c.c1) * step
        asked = self._first + self._across
        low, high = (-loop.ramp if loop.fed else 0.0), loop.ramp * (1.0 if loop.programmed else stage.most)
        if not low <= asked <= high:  # the amplifier meets its rail, and stores no more
            asked = min(high, max(low, asked))
            self._first = min(high, max(low, self._first))
        if math.isinf(loop.pole):
            self._told = asked
        else:
            self._told = asked + (self._told - asked) * math.exp(-2 * math.pi * loop.pole * step)
        wanted = self._told / loop.ramp
        if loop.programmed:  # the duty that brings the choke to what it is asked for
            self._command = self._told * loop.programmed + (self._fed if loop.fed else 0.0)
            wanted = self._steered(loop, stage, 2 * math.pi * loop.follows)
            if self.switched and stage.inductance:
                wanted = min(wanted, self._alone(stage, self._command))
        self.duty = min(stage.most, max(0.0, wanted))

    def _steered(self, loop: Loop, stage: FrontEnd, rate: float) -> float:
        """The duty that brings the choke to what it is asked for at a rate, 1/s."""
        push = self.link + stage.drop + stage.resistance * self.choke
        push += stage.inductance * rate * (self._command - self.choke)
        return min(stage.most, max(0.0, push / (stage.ratio * max(self.input, 1e-9))))


def referred(supply: Supply, ratio: float) -> Supply:
    """A supply without a front end as seen from beyond a transformer."""
    feed = supply.feed
    beyond = Feed(feed.emf * ratio, feed.resistance * ratio**2, feed.capacitance / ratio**2, feed.inductance * ratio**2)
    return replace(supply, feed=beyond)
