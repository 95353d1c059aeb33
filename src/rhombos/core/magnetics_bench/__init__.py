"""The magnetics bench: what else could be wound, what the neighbours would do, and the sheet to wind from."""

from rhombos.core.magnetics_bench.bench import COILS, coil_bench
from rhombos.core.magnetics_bench.model import CoilBench, WindingSheet

__all__ = ["COILS", "CoilBench", "WindingSheet", "coil_bench"]
