"""Edits while the server and its database are killed, again and again: ``python -m benchmarks.kills [--edits N] [--kills N]``.

Starts ``./rhombos demo`` on a folder of its own, saves one edit after the other as the page does (the same once more where no
answer came), and kills either process without a warning meanwhile. Every acknowledged edit must be a revision, once.
"""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import httpx
from benchmarks.running import Running

PATIENCE = 60.0
"""How long an edit may take to be kept, s."""
PAUSE = 0.05
"""Between two tries of an edit, s."""
CALM = (0.3, 1.5)
"""Between a restart and the next kill, s."""


@dataclass(frozen=True)
class Endured:
    """Edits acknowledged, those of them that are no revision, revisions beyond one an edit; kills; what the launcher said; the
    longest that an edit took, s."""

    kept: int
    lost: list[int]
    doubled: int
    kills: int
    said: list[str]
    longest: float


def endure(edits: int, kills: int, seed: int, folder: Path) -> Endured:
    """Save so many edits over so many kills, and compare what was acknowledged with what is there."""
    running = Running(folder)
    dice = random.Random(seed)
    done = threading.Event()
    killed = 0

    def kill() -> None:
        nonlocal killed
        while not done.is_set() and killed < kills:
            done.wait(dice.uniform(*CALM))
            victim = running.child(("uvicorn", "mariadbd")[killed % 2])
            if victim is None or done.is_set():
                continue
            before = running.again()
            victim.kill()
            killed += 1
            while running.again() == before and not done.is_set() and running.process.poll() is None:
                time.sleep(PAUSE)

    try:
        running.wait()
        with httpx.Client(base_url=f"http://127.0.0.1:{running.port}", timeout=15) as http:
            design = http.post("/api/designs", json={"name": "edit 0"}).raise_for_status().json()
            killer = threading.Thread(target=kill)
            killer.start()
            kept, longest, revision, number = [], 0.0, 1, 0
            while number < edits or killed < kills:
                number += 1
                began = time.monotonic()
                revision = _save(http, design, f"edit {number}", revision)
                longest = max(longest, time.monotonic() - began)
                kept.append(number)
                if killed < kills and number >= edits * (killed + 1) / kills:
                    time.sleep(PAUSE)  # the kills are spread over the edits
            done.set()
            killer.join()
            past = _patiently(http, "GET", f"/api/designs/{design['id']}/history").json()
            names = [r["name"] for burst in past for r in burst["revisions"]]
    finally:
        done.set()
        running.stop()
    there = {int(name.split()[1]) for name in names}
    return Endured(
        len(kept),
        [n for n in kept if n not in there],
        len(names) - 1 - len(kept),
        killed,
        [s for s in running.said if "runs again" in s],
        longest,
    )


def _patiently(http: httpx.Client, verb: str, path: str, **asked: object) -> httpx.Response:
    """An answer, asked for again while server or database are away."""
    until = time.monotonic() + PATIENCE
    while True:
        try:
            answer = http.request(verb, path, **asked)  # type: ignore[arg-type]
        except httpx.TransportError:
            answer = None
        if answer is not None and answer.status_code not in (502, 503, 504):
            return answer
        if time.monotonic() > until:
            raise TimeoutError(f"{path}: {answer.text if answer is not None else 'no answer'}")
        time.sleep(PAUSE)


def _save(http: httpx.Client, design: dict, name: str, revision: int) -> int:  # type: ignore[type-arg]
    answer = _patiently(
        http,
        "PUT",
        f"/api/designs/{design['id']}",
        json=design["design"] | {"name": name},
        headers={"If-Match": f'"{revision}"'},
    )
    answer.raise_for_status()
    return int(answer.json()["revision"])


def main() -> int:
    """Run it and print what became of the edits. Returns: 1 if any was lost or is there twice."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--edits", type=int, default=1000)
    asked.add_argument("--kills", type=int, default=20)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    with tempfile.TemporaryDirectory(prefix="rhombos-kills-") as folder:
        found = endure(given.edits, given.kills, given.seed, Path(folder))
    print(
        f"{found.kept} edits acknowledged over {found.kills} kills ({len(found.said)} restarts), {len(found.lost)} lost, "
        f"{found.doubled} twice; the longest took {found.longest:.1f} s"
    )
    return 1 if found.lost or found.doubled else 0


if __name__ == "__main__":
    sys.exit(main())
