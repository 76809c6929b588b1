"""Started with ``python -m vistaline.cli``."""

from vistaline.cli.commands import main

if __name__ == "__main__":
    main()
