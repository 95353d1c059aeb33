"""Many at once: ``python -m benchmarks.load [--designers N] [--seconds S] [--sizings N]``.

Three spells on one running demo, and its memory after the second:

- designers, each of whom edits a figure every few seconds as the page does (size, draw the block, save);
- a long series of different sizings;
- light requests, while comparisons, scopes and imports of a long table keep every process busy.

Says the share of the time that its own process took, for it runs on the same machine.
"""

from __future__ import annotations

import argparse
import asyncio
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import psutil
from benchmarks.running import Running

from rhombos.demo import house_shelf

EVERY = 4.0
"""Between two edits of a designer, s."""
LIGHT = 0.1
"""Between two light requests, s."""
LINES = 12_000
"""Of the imported table."""
LIGHT_PATHS = ("/api/designs", "/api/rules", "/api/health", "/api/shelf", "/api/shelf/mosfet", "/api/book/ohmic_loss")


@dataclass
class Spell:
    """How long requests took, s, and what was answered."""

    name: str
    took: list[float] = field(default_factory=list)
    answers: Counter[int] = field(default_factory=Counter)
    own: float = 0.0
    lasted: float = 0.0

    def told(self) -> str:
        """In one line."""
        middle, most = np.percentile(self.took, [50, 99])
        answers = ", ".join(f"{n} × {status}" for status, n in sorted(self.answers.items()))
        return (
            f"{self.name}: {len(self.took)} requests in {self.lasted:.0f} s, half in {middle * 1e3:.0f} ms, 99 % in "
            f"{most * 1e3:.0f} ms, longest {max(self.took):.2f} s; {answers}; own processor time {self.own:.1f} s"
        )


async def timed(spell: Spell, asked: Awaitable[httpx.Response]) -> httpx.Response:
    """Count a request."""
    began = time.perf_counter()
    answer = await asked
    spell.took.append(time.perf_counter() - began)
    spell.answers[answer.status_code] += 1
    return answer


async def for_so_long(spell: Spell, seconds: float, *work: Callable[[], Awaitable[None]]) -> Spell:
    """Do the work side by side, again and again, until the time is over."""
    began, own = time.perf_counter(), time.process_time()

    async def again(one: Callable[[], Awaitable[None]]) -> None:
        while time.perf_counter() - began < seconds:
            await one()

    await asyncio.gather(*(again(w) for w in work))
    spell.lasted, spell.own = time.perf_counter() - began, time.process_time() - own
    return spell


def designer(http: httpx.AsyncClient, spell: Spell, saves: Spell, dice: random.Random) -> Callable[[], Awaitable[None]]:
    """One who edits a design of her own."""
    made: dict[str, Any] = {}
    first = [True]

    async def edit() -> None:
        if not made:
            power = dice.randrange(200, 1500, 10)
            made.update(
                (
                    await http.post(
                        "/api/designs", json={"name": "load", "brief": {"power": {"continuous": power, "surge": 1.5 * power}}}
                    )
                ).json()
            )
        due = time.perf_counter() + (EVERY if not first[0] else dice.uniform(0, EVERY))
        first[0] = False
        design = made["design"] | {"pins": {"front_end.frequency": dice.randrange(30_000, 80_000, 10)}}
        asked = {k: design[k] for k in ("brief", "pins", "rules", "house", "route")}
        await timed(spell, http.post("/api/solve", json=asked))
        drawn = http.post("/api/charts/front_end", json=asked)
        kept = http.put(f"/api/designs/{made['id']}", json=design, headers={"If-Match": f'"{made["revision"]}"'})
        _, saved = await asyncio.gather(timed(spell, drawn), timed(saves, kept))
        made.update(saved.json())
        await asyncio.sleep(max(0.0, due - time.perf_counter()))

    return edit


def table() -> str:
    """A long table of fuses."""
    from rhombos.core.parts.table import write_csv

    house = house_shelf()
    part = house.find("fuse", house.all_ids("fuse")[0])
    return write_csv("fuse", [part.model_copy(update={"id": f"load-{i}"}) for i in range(LINES)])


async def light(http: httpx.AsyncClient, seconds: float) -> tuple[Spell, Spell]:
    """Light requests beside heavy ones."""
    spell, heavy = Spell("light requests"), Spell("heavy ones meanwhile")
    dice, paths, text = random.Random(2), iter(LIGHT_PATHS * 10_000), table()

    def brief() -> dict[str, Any]:
        power = dice.randrange(200, 1500)
        return {"brief": {"power": {"continuous": power, "surge": 1.5 * power}}}

    async def look() -> None:
        await timed(spell, http.get(next(paths)))
        await asyncio.sleep(LIGHT)

    async def compare() -> None:
        await timed(heavy, http.post("/api/compare", json=brief()))

    async def scope() -> None:
        await timed(heavy, http.post("/api/scope", json=brief()))

    async def bring() -> None:
        await timed(heavy, http.post("/api/shelf/fuse/csv", content=text, headers={"Content-Type": "text/csv"}))

    await for_so_long(spell, seconds, look, look, compare, compare, scope, bring)
    heavy.lasted = spell.lasted
    return spell, heavy


async def series(http: httpx.AsyncClient, count: int) -> Spell:
    """So many different sizings, three at a time."""
    spell, left = Spell("different sizings"), iter(range(count))
    began, own = time.perf_counter(), time.process_time()

    async def one() -> None:
        for i in left:
            power = 200 + i % 1300
            await timed(
                spell,
                http.post(
                    "/api/solve",
                    json={
                        "brief": {"power": {"continuous": power, "surge": 1.5 * power}, "targets": {"ambient": 20 + i // 1300}}
                    },
                ),
            )

    await asyncio.gather(*(one() for _ in range(3)))
    spell.lasted, spell.own = time.perf_counter() - began, time.process_time() - own
    return spell


def memory(server: psutil.Process) -> tuple[float, list[str]]:
    """Proportional set sizes of the server and its processes: their sum, MB, and each."""
    found = [(p, p.memory_full_info().pss / 1e6) for p in (server, *server.children(recursive=True))]
    return sum(m for _, m in found), [f"{m:.0f}" for _, m in found]


async def measured(running: Running, designers: int, seconds: float, sizings: int) -> None:
    """Every spell, told as it ends."""
    server = running.child("uvicorn")
    assert server is not None
    limits = httpx.Limits(max_connections=200)
    async with httpx.AsyncClient(base_url=f"http://127.0.0.1:{running.port}", timeout=120, limits=limits) as http:
        edits, saves = Spell(f"sizing and drawing for {designers} designers"), Spell("… and their saves")
        dice = random.Random(1)
        await for_so_long(edits, seconds, *(designer(http, edits, saves, dice) for _ in range(designers)))
        saves.lasted = edits.lasted
        print(edits.told(), saves.told(), sep="\n", flush=True)
        print((await series(http, sizings)).told(), flush=True)
        total, each = memory(server)
        print(f"memory after them: {total:.0f} MB of proportional sets ({' + '.join(each)})", flush=True)
        for spell in await light(http, seconds):
            print(spell.told(), flush=True)


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--designers", type=int, default=50)
    asked.add_argument("--seconds", type=float, default=60)
    asked.add_argument("--sizings", type=int, default=2000)
    given = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        running = Running(Path(folder))
        try:
            running.wait()
            asyncio.run(measured(running, given.designers, given.seconds, given.sizings))
        finally:
            running.stop()
    return 0


if __name__ == "__main__":
    sys.exit(main())
