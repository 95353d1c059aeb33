"""What every request about a design says."""

from __future__ import annotations

import json

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinAddress, PinValue
from rhombos.core.design.route_name import DEFAULT, RouteName
from rhombos.core.design.rules import RuleChanges, RuleName, Rules, house_rules


class NotHere(LookupError):
    """Something was asked of a design that it does not have; the message says what has it."""


class Strict(BaseModel):
    """A request: what it does not know, as a name misspelt, is refused by its name and not passed over."""

    model_config = ConfigDict(extra="forbid")


class Asked(Strict):
    """A brief with its pins and house rules."""

    brief: Brief
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=200)
    rules: RuleName = "usual"
    house: RuleChanges = Field(default_factory=RuleChanges)
    route: RouteName = DEFAULT

    @property
    def house_rules(self) -> Rules:
        """The preset with what the house sets otherwise."""
        return house_rules(self.rules, self.house)

    @property
    def key(self) -> str:
        """What the sizing depends on: the same for whatever else is asked about the same design."""
        pins = dict(sorted(self.pins.items()))
        return json.dumps([self.brief.model_dump(mode="json"), pins, self.house_rules.model_dump(), self.route])
