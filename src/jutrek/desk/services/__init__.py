"""What a session does with its library, one service for each matter; all run on the thread that owns the library.

A service takes what it needs when it is made, answers with values, and tells as events only what concerns everybody.
"""
