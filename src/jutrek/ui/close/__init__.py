"""Close look: one capture large, with its dates, its device, and what else is known of it."""
