"""Pictures for whatever shows them: small ones that are kept, large ones as they are wished for."""
