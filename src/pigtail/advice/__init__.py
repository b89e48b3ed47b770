"""Search for networks, remedies that were solved before they are offered, and what to measure next."""
