"""Routes: an architecture is an ordered list of blocks, and how power and limits pass between them."""

from rhombos.core.frame.topology import DEFAULT, RouteName
from rhombos.core.routes.base import Route, Settled, lossy
from rhombos.core.routes.common import COMMON_BUILDS
from rhombos.core.routes.direct_bridge import DirectBridge
from rhombos.core.routes.iron_bridge import IronBridge
from rhombos.core.routes.iron_push_pull import IronPushPull, SelfOscillating
from rhombos.core.routes.link import LinkRoute

__all__ = ["ALL_BUILDS", "DEFAULT", "ROUTES", "Route", "RouteName", "Settled", "lossy"]

ROUTES: dict[RouteName, Route] = {
    "push-pull link": LinkRoute("push-pull link", "push-pull"),
    "half-bridge link": LinkRoute("half-bridge link", "half-bridge"),
    "full-bridge link": LinkRoute("full-bridge link", "full bridge"),
    "iron push-pull": IronPushPull(),
    "iron bridge": IronBridge(),
    "self-oscillating": SelfOscillating(),
    "direct bridge": DirectBridge(),
}
ALL_BUILDS = {key: build for route in ROUTES.values() for key, build in route.builds.items()} | dict(COMMON_BUILDS)
"""Every block of every route, with what is built there."""
