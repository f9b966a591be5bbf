"""The window. The only room that knows Qt; it draws boards and passes wishes on to sessions."""
