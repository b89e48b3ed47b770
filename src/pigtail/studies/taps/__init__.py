"""Taps: the points that could serve, and whether those in use are confirmed."""
