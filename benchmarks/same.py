"""Whether a move of code moved a figure: ``python -m benchmarks.same write FILE`` before it, ``… against FILE`` after it.

Two hundred made-up designs, over every route and four batteries, as files of format 3, which every later version reads. Every
figure of every block, every total and every finding is compared, in the order in which they are shown.
"""

from __future__ import annotations

import json
import math
import random
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any, get_args

from rhombos.core.design.file import Design
from rhombos.core.design.outputs import AcWave
from rhombos.core.design.rules import house_rules
from rhombos.core.frame.solve import solve
from rhombos.core.routes import ROUTES
from rhombos.demo import house_shelf

COUNT, SEED, CLOSE = 200, 4, 1e-9
FIRST = 6
"""Architectures that are compared: those there were first, so that one more moves none of the designs."""
BATTERIES = ({"chemistry": "LiFePO4", "cells": 8}, {"chemistry": "Li-ion", "cells": 13, "cable_length": 2.0},
             {"chemistry": "lead-acid", "cells": 6, "capacity": "200 Ah"},
             {"chemistry": "lead-acid", "cells": 24, "capacity": "60 Ah", "coldest": -10})  # fmt: skip
LOADS = (["lamp", "adapter"], ["heater"], ["fan", "compressor"], ["rectifier"], ["instrument"], [])


def designs() -> list[dict[str, Any]]:
    """Design files of format 3."""
    dice = random.Random(SEED)
    found = []
    for n in range(COUNT):
        route = list(ROUTES.values())[n % FIRST]
        power = round(10 ** dice.uniform(math.log10(100), math.log10(2500)), -1)
        found.append({
            "format": 3, "name": f"same {n}", "route": route.key, "rules": "usual",
            "pins": dice.choice([{}, {}, {"input_stage.count": 4}, {"h_bridge.carrier": 16e3}]),
            "brief": {
                "source": BATTERIES[dice.randrange(len(BATTERIES))],
                "output": {"voltage": dice.choice([110, 120, 230]), "frequency": dice.choice([50, 60]),
                           "waveform": dice.choice([w for w in route.waveforms if w in get_args(AcWave)])},
                "power": {"continuous": power, "surge": round(power * dice.uniform(1, 3)),
                          "surge_time": dice.choice([0, 2, 10]), "power_factor": dice.choice([0.7, 0.9, 1.0])},
                "loads": dice.choice(LOADS), "targets": {"ambient": dice.choice([20, 35, 45])}},
        })  # fmt: skip
    return found


def told(raw: dict[str, Any]) -> list[tuple[str, Any]]:
    """Everything that a design's sizing says in figures, in order."""
    design = Design.model_validate(raw)
    rules = house_rules(design.rules, design.house)
    solution = solve(design.brief, design.pins, house_shelf(), rules, design.route)
    found: list[tuple[str, Any]] = [
        (f"{f.address} at {f.point}", f.value if f.value is not None else f.text) for b in solution.blocks for f in b.figures
    ]
    found += [(f"stress of {b.key}", b.stress) for b in solution.blocks]
    if solution.totals:
        found += [(k, v) for k, v in solution.totals.model_dump().items() if isinstance(v, float)]
    return found + [(f"finding {f.code}", f.value) for f in solution.findings]


def close(old: Any, new: Any) -> bool:
    """Whether two values are the same."""
    if isinstance(old, float) and isinstance(new, (int, float)):
        return math.isclose(old, new, rel_tol=CLOSE, abs_tol=1e-12)
    return bool(old == new)


def main() -> int:
    what, path = sys.argv[1], Path(sys.argv[2])
    with ProcessPoolExecutor(2) as pool:
        now = json.loads(json.dumps(list(pool.map(told, designs(), chunksize=5))))
    if what == "write":
        path.write_text(json.dumps(now))
        print(f"{sum(map(len, now))} figures of {len(now)} designs")
        return 0
    before, moved = json.loads(path.read_text()), 0
    for n, (old, new) in enumerate(zip(before, now, strict=True)):
        apart = [(a, b) for a, b in zip(old, new, strict=False) if not close(a[1], b[1])]
        if apart or len(old) != len(new):
            moved += 1
            print(f"{n}: {len(apart)} of {len(old)} figures moved, {len(new) - len(old):+d} more; first {apart[:2]}")
    print(f"{moved} of {len(now)} designs moved, {sum(map(len, now))} figures compared")
    return 1 if moved else 0


if __name__ == "__main__":
    sys.exit(main())
