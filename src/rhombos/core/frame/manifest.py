"""What there is, for whoever draws it: routes with their stages."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.outputs import Waveform
from rhombos.core.routes import ROUTES, all_stages


class StageCard(BaseModel):
    """One stage, or one block beside the path: its key in addresses, its title, its fields."""

    model_config = ConfigDict(frozen=True)

    key: str
    title: str
    fields: tuple[str, ...]


class RouteCard(BaseModel):
    """One route: the waves that it makes, and the stages of its path for the first of them."""

    model_config = ConfigDict(frozen=True)

    key: str
    title: str
    waveforms: tuple[Waveform, ...]
    stages: tuple[str, ...]


class Manifest(BaseModel):
    """Everything that is registered."""

    model_config = ConfigDict(frozen=True)

    routes: tuple[RouteCard, ...]
    stages: tuple[StageCard, ...]


def manifest() -> Manifest:
    """Everything that is registered, as it is now."""
    return Manifest(
        routes=tuple(
            RouteCard(
                key=route.key,
                title=route.title,
                waveforms=route.waveforms,
                stages=tuple(stage.key for stage in route.stages(route.waveforms[0])),
            )
            for route in ROUTES.values()
        ),
        stages=tuple(
            StageCard(
                key=stage.key,
                title=stage.title,
                fields=tuple(stage.build.model_fields),
            )
            for stage in all_stages().values()
        ),
    )
