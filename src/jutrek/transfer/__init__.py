"""Transfer: carrying out a plan with proof, and writing down what was done."""

from jutrek.transfer.bring import Done, Listener, Outcome, Progress, bring
from jutrek.transfer.carry import STEPS
from jutrek.transfer.moving import last_refiling, plan_taking_back, refile
from jutrek.transfer.recover import Leftover, recover

__all__ = [
    "STEPS",
    "Done",
    "Leftover",
    "Listener",
    "Outcome",
    "Progress",
    "bring",
    "last_refiling",
    "plan_taking_back",
    "recover",
    "refile",
]
