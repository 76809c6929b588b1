"""Vistaline turns flat pictures into film."""

__version__ = "0.1.0"
