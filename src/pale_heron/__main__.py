"""`python -m pale_heron` and the command `pale-heron`."""

import gc
import sys

from pale_heron import __version__


def main() -> None:
    """Run the program. Its version is printed before anything else is loaded: it must be there even if that fails."""
    if sys.argv[1:] == ["--version"]:
        print(f"pale-heron {__version__}")
        return
    # What is loaded stays: to look through it for garbage takes a tenth of the start, and a twentieth of all the rest.
    gc.disable()
    try:
        from pale_heron.cli.program import main as run

        run()
    except KeyboardInterrupt:
        # While it loads, or once more while it ends: nobody is owed a traceback for that.
        from pale_heron.core.trouble import Exit

        sys.exit(Exit.INTERRUPTED)


if __name__ == "__main__":
    main()
