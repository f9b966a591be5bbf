"""The made-up scenario that comes with Jutrek: sample cards, a sample phone inbox and a sample library."""

from jutrek.demo.scenario import Scenario, build

__all__ = ["Scenario", "build"]
