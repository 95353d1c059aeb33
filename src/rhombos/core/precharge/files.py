"""The sequence of a sized design as files."""

from __future__ import annotations

from typing import Literal

from rhombos.core.blocks.precharge import PrechargeBuild
from rhombos.core.frame.solve import Worked
from rhombos.core.precharge.table import state_table_c, state_table_csv
from rhombos.core.routes.auxiliary.precharge import need_of


def precharge_table(worked: Worked, ending: Literal["csv", "c"]) -> str:
    """The state table as CSV, or as C."""
    build = worked.built(PrechargeBuild)
    need = need_of(worked)
    return state_table_csv(need, build) if ending == "csv" else state_table_c(need, build)
