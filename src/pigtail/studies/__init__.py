"""Studies: each a pure function of a job that gathers, compiles, solves and judges."""
