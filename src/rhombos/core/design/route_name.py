"""The name of a route in a design: one of those that have been registered."""

from __future__ import annotations

from importlib import import_module
from typing import Annotated

from pydantic import AfterValidator, GetJsonSchemaHandler
from pydantic_core import CoreSchema

ROUTE_NAMES: list[str] = []
"""The names, in the order in which routes are compared; `routes.registry.register` adds to them."""


def _names() -> list[str]:
    if not ROUTE_NAMES:  # whoever reads designs alone has not asked for the routes yet: they register themselves
        import_module("rhombos.core.routes")
    return ROUTE_NAMES


def _known(name: str) -> str:
    if name not in _names():
        raise ValueError(f"there is no route ‘{name[:60]}’; choose one of {', '.join(ROUTE_NAMES)}")
    return name


class _Listed:
    """The names in a JSON schema."""

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, object]:
        return {"type": "string", "enum": list(_names())}


RouteName = Annotated[str, AfterValidator(_known), _Listed()]
"""The name of a route that is registered."""
DEFAULT: RouteName = "push-pull link"
"""The route of a design that names none."""
