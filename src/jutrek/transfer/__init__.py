"""Transfer: carrying out a plan with proof, and writing down what was done."""

from jutrek.transfer.bring import bring
from jutrek.transfer.carry import STEPS
from jutrek.transfer.control import Choice, Control
from jutrek.transfer.leftover import Leftover
from jutrek.transfer.moving import refile
from jutrek.transfer.outcome import Done, Listener, Outcome, Progress, Stream
from jutrek.transfer.recover import recover
from jutrek.transfer.taking_back import last_refiling, plan_finishing, plan_taking_back

__all__ = [
    "STEPS",
    "Choice",
    "Control",
    "Done",
    "Leftover",
    "Listener",
    "Outcome",
    "Progress",
    "Stream",
    "bring",
    "last_refiling",
    "plan_finishing",
    "plan_taking_back",
    "recover",
    "refile",
]
