"""`pigtail bench`: a stand-in host served on the loopback address until it is stopped."""

from __future__ import annotations

import os
from pathlib import Path

from pigtail.job.errors import FileError

#: Set by a window that starts a stand-in: it then ends with the window, however that ends.
FOLLOWS = "PIGTAIL_BENCH_FOLLOWS"


def serve(name: str, port: int) -> int:
    """Serve a truth file, or one that ships by its name; returns the exit code. Raises FileError."""
    from pigtail.bench.host import StandInHost
    from pigtail.bench.server import LOOPBACK, Server
    from pigtail.bench.truth import load, shipped

    path = shipped().get(name, Path(name))
    if not path.exists():
        raise FileError(name, f"there is no such file; give one, or one of {', '.join(shipped())}")
    host = StandInHost(load(path))
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
