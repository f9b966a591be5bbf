"""Made-up intakes of which the truth is known, by kind, and what Jutrek makes of them."""
