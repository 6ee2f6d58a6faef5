"""The entry point: starts the command line or the window, each imported only when it is wanted."""

from __future__ import annotations

import gc
import os
import sys
from collections.abc import Sequence


def main(argv: Sequence[str] | None = None) -> int:
    """Run Dynamis with the arguments after the program's name; returns the exit status."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    if wants_window(arguments):
        # All that starting makes lives as long as the window: collecting meanwhile would only walk it over and over.
        # Later the window does it.
        gc.disable()
        try:
            # The matrices here are small: more threads of linear algebra only take longer to start.
            os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
            from dynamis.ui.start import run_window

            return run_window(arguments)
        finally:
            gc.enable()
    from dynamis.cli.main import run

    return run(arguments)


def wants_window(arguments: Sequence[str]) -> bool:
    """`dynamis`, `dynamis --demo` and `dynamis FILE.dynamis` open the window; everything else is a command."""
    if not arguments:
        return True
    if len(arguments) > 1:
        return False
    return arguments[0] == "--demo" or (arguments[0].endswith(".dynamis") and not arguments[0].startswith("-"))


def console() -> None:
    """What the installed `dynamis` command calls."""
    sys.exit(main())
