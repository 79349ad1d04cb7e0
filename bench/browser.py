"""Debian's Chromium, which drives the pages: whole, or without all that belongs to windows."""

import os
import shutil

WHOLE, SHELL = "chromium", "chromium-headless-shell"


def chromium(*, light: bool = False) -> str:
    """The path of the one that is installed, of both the whole one; `CHROMIUM` in the environment names another.

    light : of both the shell. It draws and runs the same pages, and opening one takes it less than half the computing.
    """
    names = (SHELL, WHOLE) if light else (WHOLE, SHELL)
    found = os.environ.get("CHROMIUM") or next(filter(None, map(shutil.which, names)), None)
    if found is None:
        raise SystemExit("The pages need Chromium. Install Debian's package chromium, then call this again.")
    return found
