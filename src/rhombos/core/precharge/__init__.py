"""The precharge sequence: a state machine marched with its bus, its faults, its table and its code."""

from rhombos.core.precharge.march import FAULTS, FaultName, Marched, march
from rhombos.core.precharge.table import state_table_c, state_table_csv

__all__ = ["FAULTS", "FaultName", "Marched", "march", "state_table_c", "state_table_csv"]
