"""Widgets that several pages use. They know the theme, and no page."""
