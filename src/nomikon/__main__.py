"""`python -m nomikon` is the `nomikon` command."""

from nomikon.cli import main

if __name__ == "__main__":
    main()
