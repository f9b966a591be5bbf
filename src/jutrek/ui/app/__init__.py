"""The application: the window as a frame around its pages, its head, its keys, and the start."""
