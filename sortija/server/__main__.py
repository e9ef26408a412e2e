"""``python -m sortija.server COMMAND``: Django's management commands."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "sortija.server.settings")
    execute_from_command_line(["sortija", *sys.argv[1:]])
