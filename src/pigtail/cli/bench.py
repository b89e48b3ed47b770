"""`pigtail bench`: a stand-in host served on the loopback address until it is stopped."""

from __future__ import annotations

import os

from pigtail.job.errors import FileError

#: Set by a window that starts a stand-in: it then ends with the window, however that ends.
FOLLOWS = "PIGTAIL_BENCH_FOLLOWS"


def serve(name: str, port: int) -> int:
    """Serve a truth file, one that ships, or one of a host kind, by its name, with a fault hidden in it or none; returns the exit code.
    Raises FileError."""
    from pigtail.bench.chosen import stand_in_of
    from pigtail.bench.host import StandInHost
    from pigtail.bench.server import LOOPBACK, Server

    host = StandInHost(stand_in_of(name))
    if not 0 <= port < 65536:
        raise FileError(name, f"{port} is no port; give one below 65536, or 0")
    try:
        server = Server(host, port)
    except OSError as error:
        raise FileError(name, f"port {port} cannot be used ({error.strerror}); give another, or 0") from error
    print(
        f"pigtail: “{host.stand_in.title}” answers SCPI on {LOOPBACK}:{server.port}; Ctrl+C stops it",
        flush=True,
    )
    parent = os.getppid() if os.environ.get(FOLLOWS) else 0
    try:
        server.run(until=lambda: bool(parent) and os.getppid() != parent)
    except KeyboardInterrupt:
        return 0
    return 0
