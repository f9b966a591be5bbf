"""Filing: house rules laid over captures, yielding a plan."""

from jutrek.filing.pattern import PatternError
from jutrek.filing.plan import Action, Plan, Row, from_json
from jutrek.filing.planner import Wishes, make_plan
from jutrek.filing.rules import HouseRules, Structure, Undated

__all__ = [
    "Action",
    "HouseRules",
    "PatternError",
    "Plan",
    "Row",
    "Structure",
    "Undated",
    "Wishes",
    "from_json",
    "make_plan",
]
