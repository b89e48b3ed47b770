"""Prove: the runbook, the way back, the record, and what the work needs to be told."""
