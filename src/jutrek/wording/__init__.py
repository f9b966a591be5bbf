"""What is said of captures in words, as XMP: packets that are merged and never replaced, and the house's keywords."""
