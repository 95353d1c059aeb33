"""What a stage is called, with the types of what is built of it and of its state: whatever is looked up by it has them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Generic, TypeVar, overload

from rhombos.core.blocks.base import Build

BuildT = TypeVar("BuildT", covariant=True)
StateT = TypeVar("StateT", covariant=True)
Built = TypeVar("Built")
State = TypeVar("State")


class Key(str, Generic[BuildT, StateT]):
    """The name of a stage in builds, states, pins, figures and files: a word like any other, but of known types."""

    __slots__ = ()


class Builds(dict[str, Build]):
    """What is built of each stage, by key."""

    __slots__ = ()

    if TYPE_CHECKING:

        @overload
        def __getitem__(self, key: Key[Built, Any]) -> Built: ...  # type: ignore[overload-overlap]
        @overload
        def __getitem__(self, key: str) -> Build: ...
        def __getitem__(self, key: str) -> Any:
            """What is built of a stage."""

        @overload  # type: ignore[override]
        def get(self, key: Key[Built, Any]) -> Built | None: ...  # type: ignore[overload-overlap]
        @overload
        def get(self, key: str) -> Build | None: ...
        def get(self, key: str) -> Any:
            """The same; None where there is no such stage."""

    def __or__(self, more: Mapping[str, Build]) -> Builds:  # type: ignore[override]
        """The same with what else is built."""
        made = Builds(self)
        made.update(more)
        return made


class States(dict[str, object]):
    """What each stage does at an operating point, by key."""

    __slots__ = ()

    if TYPE_CHECKING:

        @overload
        def __getitem__(self, key: Key[Any, State]) -> State: ...
        @overload
        def __getitem__(self, key: str) -> object: ...
        def __getitem__(self, key: str) -> object:
            """What a stage does."""

        @overload  # type: ignore[override]
        def get(self, key: Key[Any, State]) -> State | None: ...
        @overload
        def get(self, key: str) -> object: ...
        def get(self, key: str) -> object:
            """The same; None where there is no such stage."""

    def __or__(self, more: Mapping[str, object]) -> States:  # type: ignore[override]
        """The same with what else has a state."""
        made = States(self)
        made.update(more)
        return made
