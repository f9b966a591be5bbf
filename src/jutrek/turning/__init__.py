"""Turning pictures and clips by what their files say of which way is up. No pixel is touched."""
