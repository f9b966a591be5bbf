"""What pages stand on: what a page is, how it asks, how runs are steered. It knows no page, and not the window."""
