"""The modulation bench: schemes side by side, their waves and spectra, and the sine table that a small controller plays."""

from rhombos.core.modulation.bench import ModulationAsked, ModulationBench, modulation_bench
from rhombos.core.modulation.table import SineTable, TableAsked, sine_table

__all__ = ["ModulationAsked", "ModulationBench", "SineTable", "TableAsked", "modulation_bench", "sine_table"]
