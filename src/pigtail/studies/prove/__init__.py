"""Prove: the runbook with hold points, and what its record says."""
