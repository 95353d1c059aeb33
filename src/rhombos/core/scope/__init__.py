"""The scope: events recorded by the waves engine, and what a window of a record shows."""

from rhombos.core.scope.asked import ScopeAsked, Spectrum, Trigger
from rhombos.core.scope.bench import ScopeSeen, bench_of, scope_bench, scope_csv, scope_points

__all__ = ["ScopeAsked", "ScopeSeen", "Spectrum", "Trigger", "bench_of", "scope_bench", "scope_csv", "scope_points"]
