"""Lather: a workbench for portrait retouchers. See docs/architecture.md."""

__version__ = "0.1.0"
