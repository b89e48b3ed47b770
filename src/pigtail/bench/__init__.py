"""The bench: meters over SCPI, and a stand-in host with a hidden truth that is read like hardware."""
