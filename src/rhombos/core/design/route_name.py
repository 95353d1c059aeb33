"""The name of a route in a design: one of those that have been registered."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, GetJsonSchemaHandler
from pydantic_core import CoreSchema

ROUTE_NAMES: list[str] = []
"""The names, in the order in which routes are compared; `routes.registry.register` adds to them."""


def _known(name: str) -> str:
    if name not in ROUTE_NAMES:
        raise ValueError(f"there is no route ‘{name[:60]}’; choose one of {', '.join(ROUTE_NAMES)}")
    return name


class _Listed:
    """The names in a JSON schema."""

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, object]:
        return {"type": "string", "enum": list(ROUTE_NAMES)}


RouteName = Annotated[str, AfterValidator(_known), _Listed()]
"""The name of a route that is registered."""
DEFAULT: RouteName = "push-pull link"
"""The route of a design that names none."""
