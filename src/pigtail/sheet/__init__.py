"""What leaves the program: build sheet, loom and parts tables, netlist."""
