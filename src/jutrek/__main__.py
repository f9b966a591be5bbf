"""`python -m jutrek`."""

from jutrek.cli import main

if __name__ == "__main__":
    main()
