"""What is kept: bounded, told, and asked from several threads without waiting for ever."""

from __future__ import annotations

import threading

from pigtail.units.store import Store, cached_property, remembered, stores


class Pair:
    """Two properties that ask each other's of another object."""

    def __init__(self) -> None:
        self.other: Pair | None = None
        self.meet = threading.Barrier(2)

    @cached_property
    def first(self) -> int:
        """Asks the other's second once both are under way."""
        if self.other is None:
            return 1
        self.meet.wait(5)
        return self.other.second + 1

    @cached_property
    def second(self) -> int:
        """Asks the other's first once both are under way."""
        if self.other is None:
            return 1
        self.meet.wait(5)
        return self.other.first + 1


def test_two_threads_that_ask_two_properties_of_a_class_come_to_an_end() -> None:
    """One lock for all objects would let each wait for the other."""
    one, two = Pair(), Pair()
    one.other, two.other, two.meet = Pair(), Pair(), one.meet
    found: list[int] = []
    threads = [
        threading.Thread(target=lambda: found.append(one.first), daemon=True),
        threading.Thread(target=lambda: found.append(two.second), daemon=True),
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(10)
    assert found == [2, 2]
    assert one.first == 2


def test_a_store_holds_no_more_than_it_may() -> None:
    """What was asked for longest ago goes; all are told in one place."""
    store: Store[int, int] = Store("tests.store", 3)
    for k in range(5):
        store.put(k, k)
        store.get(2)
    assert [k in store for k in range(5)] == [False, False, True, True, True]
    assert stores()["tests.store"] == (3, 3)

    @remembered(2)
    def doubled(value: int) -> int:
        return 2 * value

    assert [doubled(k) for k in range(5)] == [0, 2, 4, 6, 8]
    name = next(n for n in stores() if n.endswith("doubled"))
    assert stores()[name] == (2, 2)
