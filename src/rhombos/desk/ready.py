"""Loaded once, before any process of the crew is forked: everything imported, the book compiled, by one sizing of each kind."""

from __future__ import annotations

import gc

from scipy import integrate, linalg, optimize

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import explain, work_out
from rhombos.core.plots import charts
from rhombos.demo import house_shelf
from rhombos.desk import benches, routes, sizing
from rhombos.further import register_further

__all__ = ["benches", "integrate", "linalg", "optimize", "routes", "sizing"]


def _once() -> None:
    worked = work_out(Brief(), {}, house_shelf(), PRESETS["usual"])
    explain(worked, {}).model_dump_json()
    for block in worked.builds:
        charts(worked, block)


register_further()
_once()
gc.collect()
gc.freeze()
