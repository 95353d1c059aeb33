"""The modulation bench: schemes side by side, their waves and spectra, the loop that holds the sine, and the table that a small
controller plays."""

from rhombos.core.modulation.bench import ModulationAsked, ModulationBench, modulation_bench
from rhombos.core.modulation.regulation import LoopAsked, LoopBench, loop_bench
from rhombos.core.modulation.table import SineTable, TableAsked, sine_table

__all__ = [
    "LoopAsked",
    "LoopBench",
    "ModulationAsked",
    "ModulationBench",
    "SineTable",
    "TableAsked",
    "loop_bench",
    "modulation_bench",
    "sine_table",
]
