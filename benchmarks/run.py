"""Figures to reach, measured in one run: ``./rhombos bench``. Nothing here is a test; nothing fails for being slow."""

from __future__ import annotations

import gc
import gzip
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import psutil
from scipy.integrate import solve_ivp

from rhombos.core.benches.compare import candidates, compare
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.magnetics.stack import stack_table
from rhombos.core.magnetics.transformer import rank_transformers
from rhombos.core.magnetics_bench.transformer import transformer_need
from rhombos.core.scope import ScopeAsked, bench_of, scope_bench
from rhombos.core.scope.record import record
from rhombos.core.waves.engine import repeated, run, steady
from rhombos.core.waves.loads import Filter, rectified, rectifier_for
from rhombos.core.waves.modulation import three_level, unipolar
from rhombos.core.waves.spectrum import harmonics
from rhombos.core.waves.steady import FilterCircuit, steady_state
from rhombos.demo import house_shelf
from rhombos.demo.load import load_demo
from rhombos.launch.database import free_port, private_database
from rhombos.launch.tools import server_command
from rhombos.store.database import Database

ROOT = Path(__file__).parents[1]
if TYPE_CHECKING:
    from tests.web.pages import Bench
WHEEL = "a plain Python loop of a million additions"


def median(work: Callable[[], object], times: int) -> float:
    """Median seconds of some runs, after one that does not count."""
    work()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return statistics.median(found)


def loop() -> int:
    total = 0
    for i in range(1_000_000):
        total += i
    return total


def row(name: str, value: str, goal: str = "") -> None:
    print(f"{name:<58} {value:>16}   {goal}", flush=True)


def sizing(yard: float) -> None:
    shelf = house_shelf()
    brief = Brief.model_validate(json.loads((ROOT / "examples" / "refuge.json").read_text())["brief"])
    # every brief is new: nothing that proposals remember helps
    briefs = iter([brief.but(power={"continuous": 500.0 + 3 * i}) for i in range(200)])
    taken = median(lambda: solve(next(briefs), {}, shelf, PRESETS["usual"]), 41)
    row(f"solve, full two-stage design, {len(shelf)} parts, median", f"{taken * 1e3:.0f} ms", "goal 60 ms")
    row(f"  the same over {WHEEL}", f"{taken / yard:.2f}")


def on_the_mains(yard: float) -> None:
    shelf = house_shelf()
    brief = Brief.model_validate(json.loads((ROOT / "examples" / "repair-loft.json").read_text())["brief"])
    briefs = iter([brief.but(power={"continuous": 350.0 + 3 * i}) for i in range(60)])
    taken = median(lambda: solve(next(briefs), {}, shelf, PRESETS["usual"], "mains bridge"), 15)
    row("solve, a bridge on the rectified mains, median", f"{taken * 1e3:.0f} ms")
    row(f"  the same over {WHEEL}", f"{taken / yard:.2f}", "goal 1.5")


def choosing(yard: float) -> None:
    shelf = house_shelf()
    brief = Brief.model_validate(json.loads((ROOT / "examples" / "refuge.json").read_text())["brief"])
    briefs = iter([brief.but(power={"continuous": 500.0 + 7 * i}) for i in range(20)])
    taken = median(lambda: compare(next(briefs), shelf, PRESETS["usual"]), 9)
    row(f"every route compared, {len(list(candidates(brief)))} rows, median", f"{taken:.2f} s", "goal 1 s")
    row(f"  the same over {WHEEL}", f"{taken / yard:.1f}")
    worked = work_out(brief, {}, shelf, PRESETS["usual"])
    need = transformer_need(worked)
    stacks = len(stack_table(shelf).rows)
    taken = median(lambda: rank_transformers(need, shelf, PRESETS["usual"], stacks), 9)
    row(f"transformer search, every one of {stacks} stacks wound", f"{taken * 1e3:.0f} ms", "goal 300 ms")


def waves() -> None:
    wave = unipolar(0.88, 380, 20e3, 50)
    circuit = FilterCircuit(1.8e-3, 0.4, 3.3e-6, 71.4, 0.11)
    direct = median(lambda: steady_state(circuit, wave), 15)
    a, b = circuit.matrices()
    ends = np.append(wave.times[1:], wave.period)
    exact = steady_state(circuit, wave).states(np.array([0.0]))[0]
    began, state, periods = time.perf_counter(), np.zeros(3), 0
    while np.max(np.abs(state - exact)) > 1e-4 * 380 and periods < 20:
        for start, end, level in zip(wave.times, ends, wave.levels, strict=True):
            state = solve_ivp(lambda _, x, u=level: a @ x + b * u, (start, end), state, rtol=1e-6, atol=1e-4).y[:, -1]
        periods += 1
    marched = time.perf_counter() - began
    row("steady state, 20 kHz unipolar, LC, R–L load, direct", f"{direct * 1e3:.1f} ms")
    row(f"  the same by solve_ivp, {periods} line periods to 1e-4 of peak", f"{marched:.1f} s")
    row("  ratio", f"{marched / direct:.0f} ×", "goal 100 ×")
    error = np.max(np.abs(state - exact)) / 380
    row("  disagreement, of peak", f"{error:.1e}", "goal 1e-4")
    square = three_level(1, 1, 50)
    order = np.arange(1, 1001)
    gap = np.abs(2 * np.abs(harmonics(square, 1000)) - np.where(order % 2 == 1, 4 / (np.pi * order), 0))
    row("spectrum of a square wave, 1,000 harmonics, worst error", f"{gap.max():.1e}", "goal 1e-9")
    row("spectrum of a 20 kHz bridge, 1,000 harmonics", f"{median(lambda: harmonics(wave, 1000), 15) * 1e3:.1f} ms")


def switched() -> None:
    between, adapter = Filter(1.8e-3, 0.3, 3.3e-6), rectifier_for(600.0, 230.0, 50.0)
    wave, start = unipolar(0.88, 380, 20e3, 50), np.zeros(3)
    circuit = rectified(between, adapter).circuit
    times, levels, end = repeated(wave, 10)
    made = run(circuit, times, levels, end, start)
    taken = median(lambda: run(circuit, times, levels, end, start), 5)
    row("ten cycles at 20 kHz, filter and rectifier load", f"{taken * 1e3:.0f} ms", "goal 500 ms")

    def law(_: float, x: np.ndarray, level: float) -> list[float]:
        amps = max(0.0, abs(x[1]) - x[2] - adapter.drop) / adapter.source
        return [
            (level - x[1] - between.resistance * x[0]) / between.inductance,
            (x[0] - np.copysign(amps, x[1])) / between.capacitance,
            (amps - x[2] / adapter.load) / adapter.capacitance,
        ]

    first = wave.times.size
    began, state = time.perf_counter(), start
    for since, until, level in zip(times[:first], times[1:], levels, strict=False):
        state = solve_ivp(law, (since, until), state, args=(level,), rtol=1e-6, atol=1e-4).y[:, -1]
    marched = 10 * (time.perf_counter() - began)
    row("  the same by solve_ivp, from one cycle", f"{marched:.1f} s")
    row("  ratio", f"{marched / taken:.0f} ×")
    gap = np.abs(state - made.at(times[first : first + 1])[0]) / np.abs(made.states).max(axis=0)
    row("  disagreement after a cycle, of peak", f"{gap.max():.1e}", "goal 1e-4")
    steps = median(lambda: steady(circuit, wave, np.array([0.0, 0.0, 290.0])), 3)
    row("  its periodic state, by shooting", f"{steps * 1e3:.0f} ms")
    brief = Brief.model_validate(json.loads((ROOT / "examples" / "refuge.json").read_text())["brief"])
    worked = work_out(brief, {}, house_shelf(), PRESETS["usual"])
    asked = ScopeAsked(load="adapter", event="load step", periods=20)
    began = time.perf_counter()
    scope_bench(asked, worked)
    row("scope, 20 cycles with an adapter put on", f"{(time.perf_counter() - began) * 1e3:.0f} ms")
    row("  once recorded, all of it", f"{median(lambda: scope_bench(asked, worked), 5) * 1e3:.0f} ms")
    close = asked.model_copy(update={"first": 0.05, "last": 0.0501})
    row("  once recorded, two carriers of it", f"{median(lambda: scope_bench(close, worked), 5) * 1e3:.0f} ms")
    for source in ("source, averaged", "source, switched"):
        began = time.perf_counter()
        record(bench_of(worked), "adapter", "load step", 10, source)
        row(f"  ten cycles of it, fed by the {source}", f"{(time.perf_counter() - began) * 1e3:.0f} ms")


def first_load(address: str) -> None:
    page = urllib.request.urlopen(address).read()
    names = [part.split(b'"')[0].decode() for part in page.split(b"/assets/")[1:]]
    total = len(gzip.compress(page))
    for name in names:
        request = urllib.request.Request(f"{address}/assets/{name}", headers={"Accept-Encoding": "gzip"})
        total += len(urllib.request.urlopen(request).read())
    fonts = sum(f.stat().st_size for f in (ROOT / "web" / "dist" / "assets").glob("atkinson*latin-wght*.woff2"))
    row("first load, page, script and style, compressed", f"{total / 1e3:.0f} kB")
    row("  with both fonts", f"{(total + fonts) / 1e3:.0f} kB", "goal 900 kB")


def on_screen(address: str) -> None:
    from tests.web.conftest import browser_of
    from tests.web.pages import Bench

    with tempfile.TemporaryDirectory() as profile, browser_of(Path(profile)) as browser:
        bench = Bench(browser, address)
        bench.open(bench.copy_of("b6a1f2d0-0000-4000-8000-000000000001"))
        taken = []
        for n in range(16):
            bench.click("value-front_end.frequency")
            bench.one("input-front_end.frequency")
            taken.append(browser.execute_async_script(EDIT, f"{47 + n}k", f"{47 + n}.0 kHz"))
            bench.kept()  # a person looks before editing on: the pictures are there and the save is through
            bench.until(lambda: bench.one("pictures").get_attribute("data-fresh") == "true")
        row("edit to screen, key pressed to new figure, median", f"{statistics.median(taken[1:]):.0f} ms", "goal 150 ms")
        panned(bench)


def panned(bench: Bench) -> None:
    """Four traces of a million points each, panned and zoomed for two seconds."""
    bench.visit("/")
    bench.browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": DENSE})
    bench.visit("/design/b6a1f2d0-0000-4000-8000-000000000001?view=waves&page=scope")
    bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true")
    bench.click("probe-inductor")
    bench.click("probe-bridge")
    bench.until(lambda: len(bench.one("traces").get_attribute("data-names").split()) == 4)
    bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true")
    bench.browser.set_script_timeout(60)
    drawn, apart = bench.browser.execute_async_script(PAN)
    row(
        "pan and zoom, four traces of a million points, to draw a frame",
        f"{statistics.median(drawn):.1f} ms",
        f"worst {max(drawn):.1f}; goal 16",
    )
    row("  from frame to frame, median", f"{statistics.median(apart):.1f} ms")


DENSE = """
const plain = window.fetch;
window.fetch = async (asked, ...rest) => {
  if (!(asked instanceof Request) || !asked.url.includes('/scope/points')) return plain(asked, ...rest);
  const body = await asked.json();
  body.look.grid = 1000000;
  return plain(asked.url, {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify(body)});
};
"""

PAN = """
const done = arguments[arguments.length - 1];
const board = document.querySelector('[data-testid="traces"]');
const drawn = [], apart = [];
let frames = 0, before = performance.now();
const turn = () => {
  if (frames > 4) { drawn.push(parseFloat(board.dataset.frame)); apart.push(performance.now() - before); }
  before = performance.now();
  if (++frames > 125) return done([drawn, apart]);
  const right = board.clientWidth * (0.3 + 0.4 * Math.abs(Math.sin(frames / 20)));
  const box = board.getBoundingClientRect();
  const deltaY = frames % 50 < 25 ? -40 : 40;
  board.dispatchEvent(new WheelEvent('wheel', {deltaY, clientX: box.left + right, clientY: box.top + 50, cancelable: true}));
  requestAnimationFrame(turn);
};
turn();
"""

EDIT = """
const [typed, wanted, done] = arguments;
const field = document.querySelector('[data-testid="input-front_end.frequency"]');
Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, typed);
field.dispatchEvent(new Event('input', {bubbles: true}));
requestAnimationFrame(() => {
  const began = performance.now();
  field.dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true}));
  const watch = new MutationObserver(() => {
    const shown = document.querySelector('[data-testid="value-front_end.frequency"]');
    if (!shown || shown.textContent !== wanted) return;
    watch.disconnect();
    requestAnimationFrame(() => done(performance.now() - began));
  });
  watch.observe(document.body, {subtree: true, childList: true, characterData: true});
});
"""


def served() -> None:
    with tempfile.TemporaryDirectory() as folder, private_database(Path(folder) / "db") as database:
        store = Database(database.url)
        store.migrate()
        with store.session() as session:
            load_demo(session)
        port = free_port()
        address = f"http://127.0.0.1:{port}"
        command = server_command(Path(sys.executable), port)
        server = subprocess.Popen(command, env=os.environ | {"RHOMBOS_DATABASE_URL": database.url}, cwd=ROOT)
        try:
            for _ in range(600):
                try:
                    urllib.request.urlopen(f"{address}/api/health").read()
                    break
                except OSError:
                    time.sleep(0.05)
            first_load(address)
            on_screen(address)
            resident = psutil.Process(server.pid).memory_info().rss
            row("server, resident after the edits", f"{resident / 1e6:.0f} MB", "goal 400 MB")
        finally:
            server.terminate()
            server.wait()
            store.engine.dispose()


def main() -> None:
    gc.collect()
    gc.freeze()  # as the server does once it is warm
    yard = median(loop, 9)
    row(WHEEL, f"{yard * 1e3:.0f} ms", "how fast this machine is")
    sizing(yard)
    on_the_mains(yard)
    choosing(yard)
    waves()
    switched()
    served()


if __name__ == "__main__":
    main()
