"""``python -m sortija``: the command line."""

import sys

from sortija.launch.compiled import keep_compiled

keep_compiled()

from sortija.cli.main import main  # noqa: E402

if __name__ == "__main__":
    sys.exit(main())
