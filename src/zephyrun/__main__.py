"""`python -m zephyrun` is the same as `zephyrun`."""

from zephyrun.commands import run

if __name__ == "__main__":
    run()
