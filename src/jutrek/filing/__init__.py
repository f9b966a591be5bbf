"""Filing: house rules laid over captures, yielding a plan."""

from jutrek.filing.counting import Per
from jutrek.filing.names import Extensions
from jutrek.filing.pattern import PatternError
from jutrek.filing.plan import Action, Plan, Row, from_json, numbers_in
from jutrek.filing.planner import Wishes, make_plan
from jutrek.filing.rules import (
    Cleared,
    HouseRules,
    OnArrival,
    OnChanged,
    OnDouble,
    Order,
    RuleError,
    Scheme,
    Structure,
    Undated,
    rebased,
)

__all__ = [
    "Action",
    "Cleared",
    "Extensions",
    "HouseRules",
    "OnArrival",
    "OnChanged",
    "OnDouble",
    "Order",
    "PatternError",
    "Per",
    "Plan",
    "Row",
    "RuleError",
    "Scheme",
    "Structure",
    "Undated",
    "Wishes",
    "from_json",
    "make_plan",
    "numbers_in",
    "rebased",
]
