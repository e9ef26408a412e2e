"""``python -m sortija``, and ``sortija`` where it is installed: the command line."""

import sys

from sortija.launch.compiled import keep_compiled


def run() -> None:
    """Run one command, kernels kept where they were compiled to."""
    keep_compiled()  # before anything brings in Numba
    from sortija.cli.main import main

    sys.exit(main())


if __name__ == "__main__":
    run()
