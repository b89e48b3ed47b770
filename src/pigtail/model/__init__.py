"""What a measured job compiles to, and what every study asks: netlists, probes, spread."""
