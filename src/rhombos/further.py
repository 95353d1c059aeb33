"""Stages that do not ship with Rhombos: modules named in RHOMBOS_STAGES, each with the routes that it brings."""

from __future__ import annotations

import os
from importlib import import_module

from rhombos.core.routes import ROUTES, register

STAGES = "RHOMBOS_STAGES"


def register_further() -> None:
    """Register the `ROUTES` of every module named there, separated by commas, once.

    Raises: ImportError, AttributeError, ValueError where a module is not there, brings no routes, or one whose name is taken.
    """
    for name in filter(None, os.environ.get(STAGES, "").split(",")):
        for route in import_module(name.strip()).ROUTES:
            if ROUTES.get(route.key) is not route:
                register(route)
