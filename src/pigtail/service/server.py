"""The studies as a service of a process of its own: the window asks, this answers, and neither waits for the other.

Requests and answers are pickles with their length before them, over the process's own pipes. The parent is the only
one who can write to them; nothing here listens on a network. The process ends when its input does.
"""

from __future__ import annotations

import os
import pickle
import struct
from typing import Any, BinaryIO

from pigtail.service.services import SERVICES
from pigtail.units.memory import EVERY, give_back

LENGTH = struct.Struct(">Q")


def send(stream: BinaryIO, value: Any) -> None:
    """Write one value to a stream."""
    data = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
    stream.write(LENGTH.pack(len(data)))
    stream.write(data)
    stream.flush()


def receive(stream: BinaryIO) -> Any:
    """Read one value from a stream; raises EOFError at its end."""
    head = stream.read(LENGTH.size)
    if len(head) < LENGTH.size:
        raise EOFError
    data = stream.read(LENGTH.unpack(head)[0])
    return pickle.loads(data)  # noqa: S301  from our own parent over a private pipe


def serve(requests: BinaryIO, answers: BinaryIO) -> None:
    """Answer requests (name, arguments, named ones) with (True, result) or (False, exception) until the input ends."""
    answered = 0
    while True:
        answered += 1
        if answered % EVERY == 0:
            give_back()
        try:
            name, arguments, named = receive(requests)
        except (EOFError, OSError):
            return
        try:
            answer = (True, SERVICES[name](*arguments, **named))
        except Exception as error:  # noqa: BLE001  every failure is the parent's to tell
            answer = (False, error)
        try:
            send(answers, answer)
        except (AttributeError, TypeError, pickle.PicklingError) as error:
            send(answers, (False, RuntimeError(str(error))))
        except OSError:
            return


def main() -> None:
    """Serve on the process's own pipes; whatever else prints goes to the error output."""
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    import pigtail.studies.all  # noqa: F401  loaded while the window is still being painted

    serve(os.fdopen(0, "rb", closefd=False), answers)


if __name__ == "__main__":
    main()
