"""Routes: an architecture is an ordered list of stages, and how power and limits pass between them."""

from rhombos.core.frame.settled import Settled
from rhombos.core.routes.auxiliary.shared import SHARED_BUILDS
from rhombos.core.routes.base import Route, lossy
from rhombos.core.routes.direct_bridge import DirectBridge
from rhombos.core.routes.iron_bridge import IronBridge
from rhombos.core.routes.iron_push_pull import IronPushPull, SelfOscillating
from rhombos.core.routes.link import LinkRoute
from rhombos.core.routes.mains_bridge import MainsSine
from rhombos.core.routes.registry import ALL_BUILDS, ROUTES, all_stages, register

__all__ = [
    "ALL_BUILDS",
    "ROUTES",
    "SHARED_BUILDS",
    "Route",
    "Settled",
    "all_stages",
    "lossy",
    "register",
]

for _route in (
    LinkRoute("push-pull link", "push-pull"),
    LinkRoute("half-bridge link", "half-bridge"),
    LinkRoute("full-bridge link", "full bridge"),
    IronPushPull(),
    IronBridge(),
    SelfOscillating(),
    DirectBridge(),
    MainsSine(),
):
    register(_route)
