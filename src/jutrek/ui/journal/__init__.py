"""The Journal page: what happened, and can it be taken back."""
