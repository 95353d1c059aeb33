"""The scope: what the socket does from period to period and from carrier to carrier, with loads that are not plain."""

from rhombos.core.scope.bench import ScopeAsked, ScopeBench, scope_bench, scope_csv

__all__ = ["ScopeAsked", "ScopeBench", "scope_bench", "scope_csv"]
