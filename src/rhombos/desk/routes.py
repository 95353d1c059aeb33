"""One route for a brief, as a row of the comparison."""

from __future__ import annotations

from rhombos.core.benches.compare import Row, row_of
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.route_name import RouteName
from rhombos.core.design.rules import Rules
from rhombos.desk.desk import Desk


def compared(desk: Desk, brief: Brief, rules: Rules, name: RouteName, wave: Waveform) -> Row:
    """What a route with a wave would come to, nothing pinned."""
    return row_of(brief, name, wave, desk.shelf, rules)
