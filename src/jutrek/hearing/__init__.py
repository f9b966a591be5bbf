"""Lined up by what they heard: clips and takes of sound that overlap recorded the same sounds.

`sound.py` decodes and makes curves of loudness; `lags.py` finds where a clip may lie in a take; `voting.py` lets the
clips of a device vote for one shift of its clock; `listening.py` does all that for the captures of an intake, a little
at a time.
"""

from jutrek.hearing.listening import Listening, heard_of

__all__ = ["Listening", "heard_of"]
