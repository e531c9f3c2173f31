"""`python -m pale_heron` and the command `pale-heron`."""

import sys

from pale_heron import __version__


def main() -> None:
    """Run the program. Its version is printed before anything else is loaded: it must be there even if that fails."""
    if sys.argv[1:] == ["--version"]:
        print(f"pale-heron {__version__}")
        return
    from pale_heron.cli.program import main as run

    run()


if __name__ == "__main__":
    main()
