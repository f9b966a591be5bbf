"""Up close: one capture, large, with all that is known of it."""
