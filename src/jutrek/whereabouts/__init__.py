"""What a position is called: by the house's own spots, else by the nearest town, told without a network."""

from jutrek.whereabouts.location import NOWHERE, Location
from jutrek.whereabouts.naming import Whereabouts
from jutrek.whereabouts.spot import Spot

__all__ = ["NOWHERE", "Location", "Spot", "Whereabouts"]
