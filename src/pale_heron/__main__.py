"""`python -m pale_heron` and the command `pale-heron`."""

from pale_heron.cli.program import main

if __name__ == "__main__":
    main()
