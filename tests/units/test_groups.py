"""Things that belong together by what joins them."""

from __future__ import annotations

from pigtail.units.groups import Groups


def test_what_is_joined_by_way_of_others_is_one_group() -> None:
    """A chain is one group, a second join within it closes a loop, a name alone is its own."""
    groups = Groups()
    assert groups.join("a", "b")
    assert groups.join("c", "d")
    assert groups.of("a") != groups.of("c")
    assert groups.join("b", "c")
    assert not groups.join("a", "d")
    assert len({groups.of(n) for n in "abcd"}) == 1
    assert groups.of("e") == "e"
    assert set(groups.all()) == set("abcde")
