"""The benches that read a finished sizing: magnetics, modulation, the held output, the scope, the waves of one period."""

from __future__ import annotations

from pydantic import BaseModel, Field

from rhombos.core.frame.solve import Worked
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.magnetics_bench import COILS, CoilBench, coil_bench
from rhombos.core.magnetics_bench.model import WindingSheet
from rhombos.core.modulation import (
    LoopAsked,
    LoopBench,
    ModulationAsked,
    ModulationBench,
    loop_bench,
    modulation_bench,
)
from rhombos.core.scope import ScopeAsked, ScopeSeen, scope_bench, scope_csv, scope_points
from rhombos.core.waves.modulation import Sampling, WaveError
from rhombos.core.waves.output import output_waves
from rhombos.core.waves.spectrum import Readings
from rhombos.desk.asked import Asked, NotHere
from rhombos.desk.desk import Desk


class Benches(BaseModel):
    """The benches of every wound part of a design, in the order of the power path."""

    benches: tuple[CoilBench, ...]


def coils(desk: Desk, asked: Asked) -> Benches:
    """Cores, turns and wires beside the present ones, and the winding sheets; none where nothing can be built."""
    try:
        worked = desk.work(asked)
    except Unbuildable:
        return Benches(benches=())
    return Benches(benches=tuple(b for stage in worked.stages if (b := coil_bench(worked, stage.key)) is not None))


def winding_sheet(desk: Desk, asked: Asked, block: str) -> WindingSheet:
    """The winding sheet of one part."""
    try:
        bench = coil_bench(desk.work(asked), block)
    except Unbuildable:
        bench = None
    if bench is None:
        raise NotHere(f"this design has nothing wound called ‘{block}’; known: {', '.join(COILS)}")
    return bench.sheet


class ModulationIn(Asked):
    """A design, with how its bridge is to be modulated; what is left out is as designed."""

    setting: ModulationAsked = ModulationAsked()


def modulation(desk: Desk, asked: ModulationIn) -> ModulationBench:
    """Figures, the schemes side by side, reference and legs, spectrum."""
    worked = desk.work(asked)
    if "h_bridge" not in worked.builds:
        raise NotHere("this route has no bridge to modulate; choose one with an H-bridge")
    return modulation_bench(asked.setting, worked)


class LoopIn(Asked):
    """A design, with how its output is to be held."""

    setting: LoopAsked = LoopAsked()


def voltage_loop(desk: Desk, asked: LoopIn) -> LoopBench:
    """Margins, output impedance, and the response to a step of the load."""
    worked = desk.work(asked)
    if worked.route.operating(worked.settled, worked.builds, worked.shelf) is None:
        raise NotHere("this is for designs that make a sine; ask the brief for one")
    return loop_bench(asked.setting, worked)


class ScopeIn(Asked):
    """A design, with what to record at its socket and which part of that to look at."""

    look: ScopeAsked = ScopeAsked()


def _marched(desk: Desk, asked: Asked) -> Worked:
    """The sizing, where its waves can be marched. Raises: NotHere."""
    worked = desk.work(asked)
    if not worked.route.marched:
        raise NotHere(f"{worked.route.title}: its waves are not marched yet; the sheets have every figure of it")
    return worked


def scope(desk: Desk, asked: ScopeIn) -> ScopeSeen:
    """What a window says: readings, measurements, cursors, a spectrum, and where the record can be probed."""
    return scope_bench(asked.look, _marched(desk, asked))


def scope_drawn(desk: Desk, asked: ScopeIn) -> bytes:
    """The window's traces to draw, every edge in them: a line of JSON, then times as doubles and traces as singles."""
    return scope_points(asked.look, _marched(desk, asked))


def scope_table(desk: Desk, asked: ScopeIn) -> str:
    """The window as a table, every edge with a row before and after it."""
    return scope_csv(asked.look, _marched(desk, asked))


class WavesAsked(Asked):
    """A design, with how the sine is sampled and how fine the answer is to be."""

    sampling: Sampling = "natural"
    samples: int = Field(2000, ge=200, le=50_000)
    harmonics: int = Field(1000, ge=1, le=4000)


class WavesOut(BaseModel):
    """One line period in SI: the bridge's edges, sampled output and currents, spectrum peaks from harmonic 1, readings."""

    edge_times: list[float]
    edge_levels: list[float]
    time: list[float]
    voltage: list[float]
    inductor: list[float]
    load: list[float]
    bridge_spectrum: list[float]
    bridge: Readings
    output: Readings


def waves(desk: Desk, asked: WavesAsked) -> WavesOut:
    """Edges, spectrum and the periodic steady state at full power on a nominal input."""
    worked = desk.work(asked)
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    if at is None:
        raise WaveError(f"this design's socket is {asked.brief.output.described}; ask for a sine to see its carrier")
    found = output_waves(at, asked.sampling, asked.samples)
    return WavesOut(
        edge_times=found.bridge.times.tolist(),
        edge_levels=found.bridge.levels.tolist(),
        time=found.time.tolist(),
        voltage=found.voltage.tolist(),
        inductor=found.inductor.tolist(),
        load=found.load.tolist(),
        bridge_spectrum=found.bridge_spectrum(asked.harmonics).tolist(),
        bridge=found.bridge_readings,
        output=found.voltage_readings,
    )
