"""Pictures of the high-voltage side: diode voltage, choke current, link, bridge, filter, socket."""

from __future__ import annotations

import math

import numpy as np

from rhombos.core.blocks import dc_link, front_end
from rhombos.core.blocks.dc_link import DcLinkBuild
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.blocks.rectifier import RectifierBuild
from rhombos.core.blocks.transformer import KEY as TRANSFORMER
from rhombos.core.book import filters
from rhombos.core.frame.report import Operating
from rhombos.core.frame.solve import Worked
from rhombos.core.parts import Capacitor, Diode
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, Series, curve, limits, roomy, thin
from rhombos.core.routes.narrowed import linked
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.output import OutputWaves, output_waves

SPECTRUM_SHARE = 2.6
"""How far the spectra reach, in units of twice the carrier."""


def _operating(worked: Worked) -> Operating:
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    assert at is not None, "pictures of a sine are drawn for sines alone"
    return at


def _waves(worked: Worked) -> OutputWaves:
    return output_waves(_operating(worked), samples=6000)


def diode_voltage(worked: Worked) -> Chart:
    """Reverse voltage of one diode over a period, on the highest input."""
    s = worked.settled["high"]
    build = worked.built(RectifierBuild)
    diode = worked.shelf.get(Diode, build.diode)
    state = s.states[RECTIFIER]
    frequency = worked.built(FrontEndBuild).frequency
    period = 1 / frequency
    on = min(s.states[front_end.KEY].duty, 0.5) * period
    level = state.reverse - state.ring
    stray = 2 * diode.c_j + 30e-12
    leads = front_end.lead_inductance(worked.builds[front_end.KEY], worked.shelf, worked.rules)
    leak = (s.states[TRANSFORMER].leakage_together + leads) * s.states[TRANSFORMER].ratio ** 2
    ring = min(2 * math.pi * math.sqrt(leak * stray), on / 3)
    rate = 1.2 if build.damper == "RC" else 0.35
    inside = np.concatenate([np.linspace(0, min(4 * ring, on), 201), np.linspace(min(4 * ring, on), on, 40)])
    decay = np.exp(-rate * np.maximum(inside - ring / 2, 0) / ring)
    rung = level - state.ring * decay * np.cos(2 * math.pi * inside / ring)
    rising = (level + state.ring) * (1 - np.cos(2 * math.pi * inside / ring)) / 2
    wave = np.where(inside < ring / 2, rising, rung)
    times = np.concatenate([[0], inside, [on, period / 2, period]])
    volts = np.concatenate([[0], wave, [0, 0, 0]])
    t, v = Scale("s", period), Scale("V", diode.v_rating)
    return Chart(
        key="diode",
        title="Diode reverse voltage",
        x=t.axis("time", low=0, high=period),
        y=v.axis("", low=0, high=roomy(diode.v_rating, state.reverse)),
        series=(curve("one diode", times, volts, t, v),),
        marks=(
            *limits(diode.v_rating, diode.v_rating * (1 - worked.rules.diode_voltage_margin), v, "V"),
            Mark(at=v(state.link), label=f"link {fmt(state.link, 'V')}", role="here"),
        ),
        remark=(
            f"On the highest input the diode must block {fmt(level, 'V')} and the ring lifts that to "
            f"{fmt(state.reverse, 'V')}; the link is {fmt(state.link, 'V')}. Levels and ring frequency computed, decay as "
            "usual."
            if state.ring
            else "Each diode blocks the whole link; the two banks clamp the ring."
        ),
    )


def choke_current(worked: Worked) -> Chart:
    """Link choke current over one switching period, nominal and idle."""
    build = worked.built(FrontEndBuild)
    half = 1 / (2 * build.frequency)
    t = Scale("s", 2 * half)
    states = {k: worked.settled[k].states for k in ("nominal", "idle")}
    a = Scale("A", states["nominal"][RECTIFIER].current + states["nominal"][RECTIFIER].ripple)
    series = []
    for key, role in (("nominal", "main"), ("idle", "second")):
        rectified, stage = states[key][RECTIFIER], states[key][front_end.KEY]
        mean, ripple = rectified.current, rectified.ripple
        start = 2 * stage.rising * half  # the leakage first takes the current over
        rise, on = ripple, (stage.total_duty - 2 * stage.rising) * half
        if mean < ripple / 2:  # runs dry: rises from zero, falls to zero, rests
            area = mean * half
            fall = max(0.0, 2 * area / max(rise, 1e-12) - on)
            xs = [0, on, min(on + fall, half), half, half + on, min(half + on + fall, 2 * half), 2 * half]
            ys = [0, rise, 0, 0, rise, 0, 0]
        else:
            low, high = mean - ripple / 2, mean + ripple / 2
            xs = [0, start, start + on, half + start, half + start + on, 2 * half]
            before = low + ripple * start / (half - on)
            ys = [before, low, high, low, high, before]
        series.append(curve("full power" if key == "nominal" else "no load", xs, ys, t, a, role))  # type: ignore[arg-type]
    least = states["nominal"][RECTIFIER].minimum_load
    return Chart(
        key="choke",
        title="Link choke current",
        x=t.axis("time", low=0, high=2 * half),
        y=a.axis("", low=0),
        series=tuple(series),
        remark=f"Below {fmt(least, 'A')} the choke runs dry and the duty must shrink, or the link drifts to the peak.",
    )


def charging_pulses(worked: Worked) -> Chart:
    """Current of the secondary over one switching period, full power: it charges the bank directly."""
    build = worked.built(FrontEndBuild)
    period = 1 / build.frequency
    s = linked(worked.settled)["nominal"]
    rectified, on = s.states[RECTIFIER], s.states[front_end.KEY].duty * period
    leads = front_end.lead_inductance(worked.builds[front_end.KEY], worked.shelf, worked.rules)
    leak = (s.states[TRANSFORMER].leakage_together + leads) * s.states[TRANSFORMER].ratio ** 2
    diode = worked.shelf.get(Diode, worked.built(RectifierBuild).diode)
    ohms = s.guess.charging_resistance(s.states[TRANSFORMER].ratio) + s.diodes * diode.r
    inside = np.linspace(0, on, 60)
    rising = (1 - np.exp(-inside * ohms / leak)) / (1 - np.exp(-on * ohms / leak)) * rectified.pulse_peak
    t, a = Scale("s", period), Scale("A", rectified.pulse_peak)
    half = period / 2
    xs = np.concatenate([inside, [on, half], half + inside, [half + on, period]])
    ys = np.concatenate([rising, [0, 0], -rising, [0, 0]])
    return Chart(
        key="pulses",
        title="Current of the secondary",
        x=t.axis("time", low=0, high=period),
        y=a.axis(""),
        series=(curve("full power", xs, ys, t, a), curve("mean of a pulse", [0, on], [rectified.pulse] * 2, t, a, "second")),
        remark=f"Leakage and resistance alone shape it: peak {fmt(rectified.pulse_peak, 'A')}, RMS {rectified.form:.2f} times "
        f"the mean; the leakage takes {fmt(rectified.leakage_drop, 'V')} of the secondary's voltage.",
    )


def link_over_input(worked: Worked) -> Chart:
    """Where the link stands for every source and load, against what its capacitors stand."""
    build = worked.built(DcLinkBuild)
    can = worked.shelf.get(Capacitor, build.capacitor)
    stands = can.v_rating * build.banks
    infeasible = worked.route.infeasible(worked.settled)
    series = []
    x, v = Scale("V", worked.brief.source.volts[2]), Scale("V", stands)
    for name, keys, role in (
        ("full power", ("low", "nominal", "high"), "main"),
        ("surge", ("surge_low", "surge_high"), "second"),
    ):
        held = [worked.settled[k] for k in keys if k in worked.settled and k not in infeasible]
        if len(held) > 1:
            series.append(curve(name, [s.point.emf for s in held], [s.states[dc_link.KEY].voltage for s in held], x, v, role))  # type: ignore[arg-type]
    full = worked.settled["high"]
    return Chart(
        key="link",
        title="Link against the source",
        x=x.axis("input, unloaded"),
        y=v.axis("", low=0, high=roomy(stands)),
        series=tuple(series),
        marks=limits(stands, stands * (1 - worked.rules.link_capacitor_margin), v, "V"),
        dots=(Dot(x=x(full.point.emf), y=v(full.states[RECTIFIER].unloaded), label=""),),
        remark="No choke, so no duty holds it: the link is the source times the turns ratio, less what is lost on the way. "
        f"The dot: {fmt(full.states[RECTIFIER].unloaded, 'V')}, as far as it climbs unloaded.",
    )


def link_voltage(worked: Worked) -> Chart:
    """The link over one line period against what the sine needs and what the capacitors stand."""
    build = worked.built(DcLinkBuild)
    can = worked.shelf.get(Capacitor, build.capacitor)
    state = worked.settled["nominal"].states[dc_link.KEY]
    line = worked.brief.output.frequency
    time = np.linspace(0, 1 / line, 200)
    wave = build.voltage + state.ripple / 2 * np.sin(4 * math.pi * line * time)
    asked = worked.settled["nominal"].states[H_BRIDGE].bridge_peak * np.abs(np.sin(2 * math.pi * line * time))
    t, v = Scale("s", 1 / line), Scale("V", can.v_rating)
    return Chart(
        key="link",
        title="Link voltage",
        x=t.axis("time", low=0, high=1 / line),
        y=v.axis("", low=0, high=roomy(can.v_rating, build.voltage)),
        series=(curve("link", time, wave, t, v), curve("asked by the sine", time, asked, t, v, "second")),
        marks=limits(can.v_rating, can.v_rating * (1 - worked.rules.link_capacitor_margin), v, "V"),
        remark=f"{fmt(state.ripple, 'V')} at {short(2 * line, 'Hz')} from the output's pulsation; the crest of the sine "
        f"asks {fmt(state.needed * worked.rules.modulation_limit, 'V')}.",
    )


def discharge(worked: Worked) -> Chart:
    """How long the link stays dangerous after switch-off."""
    build = worked.built(DcLinkBuild)
    bank = dc_link.capacitance(build, worked.shelf)
    state = worked.settled["nominal"].states[dc_link.KEY]
    safe = worked.rules.safe_voltage
    time = np.linspace(0, max(1.6 * state.safe_time, 1.0), 120)
    t, v = Scale("s", 1.0), Scale("V", state.voltage)
    return Chart(
        key="discharge",
        title="Link after switch-off",
        x=t.axis("time", low=0),
        y=v.axis("", low=0),
        series=(curve("link", time, state.voltage * np.exp(-time / (build.bleeder * bank)), t, v),),
        marks=(Mark(at=v(safe), label=f"touch-safe {short(safe, 'V')}", role="house"),),
        dots=(Dot(x=t(state.safe_time), y=v(safe), label=fmt(state.safe_time, "s", 2)),),
        remark=f"{fmt(state.stored, 'J', 2)} through {fmt(build.bleeder, 'ohm')}. Bleed, wait, measure, then touch: a bleeder "
        "may have failed.",
    )


def bridge_voltage(worked: Worked) -> Chart:
    """Bridge voltage over half a line period, with the sine it carries."""
    at, waves = _operating(worked), _waves(worked)
    keep = waves.bridge.times <= waves.bridge.period / 2
    times, levels = waves.bridge.times[keep], waves.bridge.levels[keep] / at.ratio
    sine = np.linspace(0, waves.bridge.period / 2, 120)
    t, v = Scale("s", waves.bridge.period / 2), Scale("V", at.v_link / at.ratio)
    return Chart(
        key="bridge",
        title="Bridge voltage, half a line period",
        x=t.axis("time", low=0, high=waves.bridge.period / 2),
        y=v.axis(""),
        series=(
            Series(name="bridge", x=t.all(times), y=v.all(levels), role="faint", kind="steps"),
            curve("its fundamental", sine, at.index * at.v_link / at.ratio * np.sin(2 * math.pi * at.line * sine), t, v),
        ),
        remark=f"{waves.bridge.times.size} edges a period, natural sampling. True RMS "
        f"{fmt(waves.bridge_readings.rms / at.ratio, 'V')}; an average-responding meter shows "
        f"{fmt(waves.bridge_readings.average_responding / at.ratio, 'V')}.",
    )


def bridge_spectrum(worked: Worked) -> Chart:
    """Harmonics of the bridge voltage up to beyond twice the carrier's sidebands."""
    at, waves = _operating(worked), _waves(worked)
    count = int(SPECTRUM_SHARE * 2 * at.carrier / at.line)
    peaks = waves.bridge_spectrum(count) / at.ratio
    shown = np.flatnonzero(peaks > 1e-3 * peaks[0])
    f, v = Scale("Hz", at.carrier), Scale("V", float(peaks[0]))
    return Chart(
        key="spectrum",
        title="Spectrum of the bridge voltage",
        x=f.axis("frequency", low=0, high=roomy(count * at.line / 1.04)),
        y=v.axis("peak", low=0),
        series=(Series(name="harmonics", x=f.all((shown + 1) * at.line), y=v.all(peaks[shown]), kind="sticks"),),
        marks=(
            Mark(at=f(2 * at.carrier), label=f"twice the carrier {short(2 * at.carrier, 'Hz')}", role="here", upright=True),
        ),
        remark=f"Unipolar PWM: nothing stands at the carrier itself. Distortion before the filter "
        f"{fmt(waves.bridge_readings.thd, '%')}.",
    )


def inductor_current(worked: Worked) -> Chart:
    """Filter inductor current over a line period, from the exact periodic steady state."""
    waves, ratio = _waves(worked), _operating(worked).ratio
    state = worked.settled["nominal"].states[OUTPUT_FILTER]
    time, amps = thin(waves.time, 1500), thin(waves.inductor, 1500) * ratio
    load = thin(waves.load, 300) * ratio
    t, a = Scale("s", waves.bridge.period), Scale("A", float(np.abs(amps).max()))
    return Chart(
        key="inductor",
        title="Inductor current",
        x=t.axis("time", low=0, high=waves.bridge.period),
        y=a.axis(""),
        series=(
            curve("inductor", time, amps, t, a, "faint"),
            curve("load" if ratio == 1 else "load, times the turns ratio", thin(waves.time, 300), load, t, a),
        ),
        remark=f"Peak {fmt(float(np.abs(waves.inductor).max()) * ratio, 'A')} of the {fmt(state.peak, 'A')} that the sizing "
        "counts on.",
    )


DAMPER = 4.0
"""Damping capacitor over the filter's own."""


def filter_gain(worked: Worked) -> Chart:
    """Gain of the filter, loaded and empty, with the line, the corner and the ripple marked."""
    at = _operating(worked)
    state = worked.settled["nominal"].states[OUTPUT_FILTER]
    frequency = np.geomspace(at.line, 4 * at.carrier, 240)
    s = 2j * math.pi * frequency
    capacitor = 1 / (s * at.capacitance)
    choke = at.resistance + s * at.inductance
    load = at.load_resistance + s * at.load_inductance
    loaded = capacitor * load / (capacitor + load)
    ohms = float(filters.damping_resistor(L=at.inductance, C=at.capacitance))
    branch = ohms + 1 / (s * DAMPER * at.capacitance)
    damped = capacitor * branch / (capacitor + branch)
    extra = abs(worked.brief.output.voltage / (ohms + 1 / (2j * math.pi * at.line * DAMPER * at.capacitance)))
    f, g = Scale("Hz", at.line, 1e3), Scale("1", 1)
    decibels = [20 * np.log10(np.abs(z / (z + choke))) for z in (loaded, capacitor, damped)]
    ripple = float(np.interp(2 * at.carrier, frequency, decibels[0]))
    return Chart(
        key="gain",
        title="Filter gain",
        x=f.axis("frequency", log=True),
        y=g.axis("dB", low=-60, high=30),
        series=(
            curve("no load", frequency, np.clip(decibels[1], -60, 30), f, g, "second"),
            curve("full load", frequency, decibels[0], f, g),
            curve("no load, with a damper", frequency, decibels[2], f, g, "third"),
        ),
        marks=(
            Mark(at=f(state.corner), label=f"corner {fmt(state.corner, 'Hz', 2)}", role="here", upright=True),
            Mark(at=f(2 * at.carrier), label=f"ripple {short(2 * at.carrier, 'Hz')}", role="house", upright=True),
        ),
        remark=f"The ripple at twice the carrier is {'held down to' if ripple < 0 else 'lifted by'} {ripple:.0f} dB. Without "
        f"load the corner rings, {float(decibels[1].max()):.0f} dB: keep every low harmonic away from it, or damp it "
        f"with {fmt(DAMPER * at.capacitance, 'F', 2)} in series with {fmt(ohms, 'ohm', 2)} across the output: "
        f"{float(decibels[2].max()):.0f} dB, for {fmt(extra, 'A')} more current and {fmt(extra**2 * ohms, 'W', 2)} at "
        "all times.",
    )


def output_voltage(worked: Worked) -> Chart:
    """Output voltage and load current over one line period."""
    waves = _waves(worked)
    time, volts = thin(waves.time, 1200), thin(waves.voltage, 1200)
    t, v = Scale("s", waves.bridge.period), Scale("V", float(np.abs(volts).max()))
    read = waves.voltage_readings
    return Chart(
        key="output",
        title="Voltage at the socket",
        x=t.axis("time", low=0, high=waves.bridge.period),
        y=v.axis(""),
        series=(curve("output", time, volts, t, v),),
        remark=f"True RMS {fmt(read.rms, 'V')}, average-responding meter {fmt(read.average_responding, 'V')}, peak "
        f"{fmt(read.peak, 'V')}; as the rated linear load has it, distorted by {fmt(read.thd, '%', 2)}.",
    )


def output_spectrum(worked: Worked) -> Chart:
    """What is left of the harmonics at the socket, as shares of the fundamental."""
    at, waves = _operating(worked), _waves(worked)
    peaks = 2 * np.abs(np.fft.rfft(waves.voltage))[1:] / waves.voltage.size
    count = min(peaks.size, int(1.3 * 2 * at.carrier / at.line))
    share = peaks[:count] / peaks[0]
    shown = 1 + np.flatnonzero(share[1:] > 2e-5)
    f, g = Scale("Hz", at.carrier), Scale("%", 1)
    return Chart(
        key="residue",
        title="What is left at the socket",
        x=f.axis("frequency", low=0, high=roomy(count * at.line / 1.04)),
        y=g.axis("of the fundamental", low=0),
        series=(Series(name="harmonics", x=f.all((shown + 1) * at.line), y=g.all(share[shown]), kind="sticks"),),
        remark="With the legs' dead time, which adds odd harmonics that the filter lifts near its corner; the link stands "
        "still, and loads that draw at the crest are left to the scope.",
    )
