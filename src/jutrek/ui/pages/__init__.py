"""The pages of the window, a folder each. They know neither the window nor each other."""
