"""Zephyrun makes inherited code easier to read, and proves that it still does the same."""

__version__ = "0.1.0"
