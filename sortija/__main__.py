"""``python -m sortija``: the command line."""

import sys

from sortija.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
