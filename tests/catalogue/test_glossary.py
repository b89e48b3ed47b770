"""Words are explained, and how a value is found is told."""

from __future__ import annotations

import pytest

from pigtail.catalogue.glossary import explain, how_to_find, tip_for, words
from pigtail.job.quantities import QUANTITIES


def test_every_word_is_explained_in_a_sentence() -> None:
    """None by itself alone, none at length."""
    for word, means in words().items():
        assert means.endswith("."), word
        assert len(means) < 320, word


def test_longer_words_win_and_each_is_told_once() -> None:
    """“Record input” is not two words."""
    assert [w for w, _ in explain("Record input, record input and its return")] == ["record input", "return"]
    assert explain("nothing of note") == ()


@pytest.mark.parametrize(
    "value", sorted({q.words for kind in ("AudioOut", "AudioIn", "Rail", "SupplyIn") for k, found in QUANTITIES.items()
                     if k.__name__ == kind for q in found} - {"crossover frequency", "input capacitance", "SPL at 1 mW",
                                                              "level of the host's own signal"})
)  # fmt: skip
def test_each_value_that_a_plan_rests_on_can_be_found(value: str) -> None:
    """Measured or looked up, and it is told how."""
    assert how_to_find(value)
    assert tip_for(f"Some point: {value}", value).startswith("How to find it: ")
