"""`python -m pampa` is the command line. Children of it load this file too, and must find nothing to load."""

if __name__ == "__main__":
    from pampa.cli.main import run

    run()
