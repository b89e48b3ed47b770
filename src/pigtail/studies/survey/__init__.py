"""Survey: what is known of the host, and what its readings tell."""
