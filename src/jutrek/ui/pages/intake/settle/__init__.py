"""Settle: open questions about dates, with their evidence, their answers, and what an answer changes."""
