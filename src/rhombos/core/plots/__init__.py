"""The pictures an engineer would sketch for each block, as data: nothing is computed where they are drawn."""

from rhombos.core.plots.blocks import charts
from rhombos.core.plots.model import Chart

__all__ = ["Chart", "charts"]
