"""Which wound parts a design has, and the bench of each."""

from __future__ import annotations

from collections.abc import Callable

from rhombos.core.coils.inductor import filter_inductor, link_choke
from rhombos.core.coils.iron import iron_bench
from rhombos.core.coils.model import CoilBench
from rhombos.core.coils.transformer import transformer_bench
from rhombos.core.solve import Worked

COILS: dict[str, Callable[[Worked], CoilBench]] = {
    "transformer": transformer_bench, "iron_transformer": iron_bench, "rectifier": link_choke,
    "output_filter": filter_inductor,
}  # fmt: skip
"""By block."""


def coil_bench(worked: Worked, block: str) -> CoilBench | None:
    """The bench of one wound part; None where this design has no such part."""
    return COILS[block](worked) if block in COILS and block in worked.builds else None
