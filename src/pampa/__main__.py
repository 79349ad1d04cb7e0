"""`python -m pampa` is the command line."""

from pampa.cli.main import run

run()
