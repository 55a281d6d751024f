"""``python -m tarnwater``."""

from tarnwater.cli import main

if __name__ == "__main__":
    main()
