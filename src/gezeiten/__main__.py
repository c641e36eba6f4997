"""`python -m gezeiten` is the command line."""

from gezeiten.cli.main import main

if __name__ == "__main__":
    main()
