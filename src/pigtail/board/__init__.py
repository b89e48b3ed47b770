"""The little board: what of a plan sits on it, laid out on stripboard or perforated board, and walked over copper to prove it."""
