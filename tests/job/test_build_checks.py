"""What is told of the build is checked where it enters: measures, ids and what they name; edits refuse what is not there."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from msgspec.structs import replace

from pigtail.edits.build import (
    change_panel,
    place_fitting,
    put_area,
    put_fitting,
    remove_area,
    remove_fitting,
    set_colour,
    set_copies,
    set_mounting,
    set_panel,
)
from pigtail.job.build import Area, AreaKind, Build, ColourRule, Fitting, Mounting, Panel
from pigtail.job.document import Job
from pigtail.job.errors import EditError
from pigtail.job.file import Document, decode, encode

POST = Area(id="post_1", name="post", kind=AreaKind.POST, x=1, y=2, width=3, height=4)
JACK = Fitting(id="jack_1", kind="jack_3_5", name="jack")
PANEL = Panel(width=100, height=50, areas=(POST,), fittings=(JACK,))

#: What is refused, and a word of why.
REFUSED: dict[str, tuple[Callable[[Job], Job], str]] = {
    "a panel of no width": (lambda j: set_panel(j, replace(PANEL, width=0)), "above 0"),
    "a panel of five metres and more": (lambda j: set_panel(j, replace(PANEL, width=5001)), "5000"),
    "a panel of no number": (lambda j: set_panel(j, replace(PANEL, height=float("nan"))), "mm"),
    "an area of no height": (lambda j: put_area(set_panel(j, PANEL), replace(POST, height=0)), "above 0"),
    "an area that is nowhere": (
        lambda j: put_area(set_panel(j, PANEL), replace(POST, x=float("inf"))),
        "no panel",
    ),
    "an id that is none": (lambda j: put_area(set_panel(j, PANEL), replace(POST, id="Post 1")), "no id"),
    "half a place": (lambda j: place_fitting(set_panel(j, PANEL), "jack_1", 3.0, None), "both"),
    "a fitting that the catalogue has not": (
        lambda j: put_fitting(set_panel(j, PANEL), replace(JACK, kind="plug")),
        "plug",
    ),
    "a fitting that is not there": (lambda j: place_fitting(set_panel(j, PANEL), "led_1", 1, 1), "led_1"),
    "an area that is not there": (lambda j: remove_area(set_panel(j, PANEL), "rib_1"), "rib_1"),
    "what is taken out twice": (
        lambda j: remove_fitting(remove_fitting(set_panel(j, PANEL), "jack_1"), "jack_1"),
        "jack_1",
    ),
    "a panel changed where there is none": (lambda j: change_panel(set_panel(j, None), width=9), "no panel"),
    "a mounting of what is not there": (lambda j: set_mounting(j, "tape"), "tape"),
    "a height below nothing": (lambda j: set_mounting(j, "rx", height=-1.0), "-1"),
    "no copies": (lambda j: set_copies(j, 0), "copies"),
    "a crowd of areas": (
        lambda j: set_panel(j, replace(PANEL, areas=tuple(replace(POST, id=f"p_{k}") for k in range(501)))),
        "500",
    ),
}


@pytest.mark.parametrize("case", REFUSED)
def test_what_cannot_be_is_refused_in_a_sentence(tidewell: Job, case: str) -> None:
    """Nothing of the job is changed; the sentence names what is wrong."""
    edit, word = REFUSED[case]
    with pytest.raises(EditError, match=word):
        edit(tidewell)


def test_a_build_comes_back_from_its_file_as_it_was(tidewell: Job) -> None:
    """All that can be told of it."""
    job = set_colour(set_panel(set_mounting(tidewell, "rx", width=9.5, sharp=True), PANEL), "return", "Brown")
    assert decode(encode(Document(job))).job.build == job.build
    assert job.build.colours == (ColourRule(carries="return", colour="brown"),)
    assert set_colour(job, "return", " ").build.colours == ()


def test_a_job_of_an_older_version_has_a_plain_build(larkmoor: Job) -> None:
    """Nothing is made up for it."""
    import msgspec

    raw = msgspec.to_builtins(larkmoor) | {"format": "pigtail job", "version": 7}
    raw.pop("build")
    assert decode(msgspec.json.encode(raw)).job.build == Build()


def test_two_mountings_of_one_thing_are_refused(tidewell: Job) -> None:
    """As a file may have them."""
    from pigtail.job.checking_build import check_build
    from pigtail.job.errors import JobError

    double = replace(tidewell, build=Build(mountings=(Mounting(of="rx"), Mounting(of="rx"))))
    with pytest.raises(JobError, match="twice"):
        check_build(double)
