"""Pigtail: plans, checks and records the retrofit of modules into existing audio gear."""

__version__ = "0.1.0"
