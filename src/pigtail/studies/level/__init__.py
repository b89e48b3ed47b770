"""Level: what arrives at the input of each feed."""
