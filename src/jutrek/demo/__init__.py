"""The made-up scenario that comes with Jutrek: sample cards, a sample phone inbox, a sample library, and a mess."""

from jutrek.demo.mess import build_mess
from jutrek.demo.scenario import Scenario, build

__all__ = ["Scenario", "build", "build_mess"]
