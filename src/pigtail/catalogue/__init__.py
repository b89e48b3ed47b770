"""Modules, parts, topologies and host kinds as data, generic and brandless, and the demo jobs."""
