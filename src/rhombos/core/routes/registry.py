"""Every route there is, and through them every stage: adding one is one call."""

from __future__ import annotations

from collections.abc import Mapping

from rhombos.core.blocks.base import Build
from rhombos.core.design.route_name import ROUTE_NAMES
from rhombos.core.frame.stage import Stage
from rhombos.core.routes.auxiliary.shared import SHARED
from rhombos.core.routes.base import Route

ROUTES: dict[str, Route] = {}
"""The routes by name, in the order in which they are compared."""
ALL_BUILDS: dict[str, type[Build]] = {stage.key: stage.build for stage in SHARED}
"""Every stage of every route, with what is built there."""


def register(route: Route) -> Route:
    """Make a route known, with its stages: it is sized, compared, offered and drawn from now on.

    Raises: ValueError where a route or another kind of stage has its name already, or where two stages of one path have the
    same sheet, on which parts could not be told apart.
    """
    if route.key in ROUTES:
        raise ValueError(f"there is a route called ‘{route.key}’ already")
    for key, build in route.builds.items():
        there = ALL_BUILDS.get(key, build)
        if not issubclass(build, there) and not issubclass(there, build):
            raise ValueError(f"there is a stage called ‘{key}’ already, of which something else is built")
    for wave in route.waveforms:
        numbered = [s for s in route.all_stages(wave, *route.beside) if s.sheet]
        if twice := [s.key for s in numbered if sum(s.sheet == other.sheet for other in numbered) > 1]:
            raise ValueError(f"the stages {' and '.join(twice)} of ‘{route.key}’ have the same sheet")
    ROUTES[route.key] = route
    ROUTE_NAMES.append(route.key)
    ALL_BUILDS.update(route.builds)
    return route


def all_stages() -> Mapping[str, Stage]:
    """Every stage by key, in the order in which routes have them."""
    known = {key: stage for route in ROUTES.values() for key, stage in route.known.items()}
    return known | {stage.key: stage for stage in SHARED}
