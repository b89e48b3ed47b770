"""What is said goes through the catalogue, and the second language is whole: every message, every placeholder, every form."""

from __future__ import annotations

import ast
import json
import os
import re
import string
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path

import pytest
from babel.messages.plurals import get_plural
from hypothesis import given
from hypothesis import strategies as st

import pigtail.language as spoken
from pigtail.language import LANGUAGES, TABLES, chosen, of_desk, said, tr, trn
from tools import words

OTHERS = [code for code in LANGUAGES if code != "en"]


def names(text: str) -> list[str]:
    """The places that a message has, with how they are written."""
    return sorted(f"{n}!{c}:{s}" for _, n, s, c in string.Formatter().parse(text) if n is not None)


@pytest.mark.parametrize("code", OTHERS)
def test_every_message_is_translated_with_its_places(code: str) -> None:
    """None empty, none marked as doubtful, each with the places of the original and none besides; none left that is said no more."""
    catalogue = words.read(code)
    assert words.wanting(catalogue) == []
    said_now = words.messages()
    assert {m.id for m in catalogue if m.id} == set(said_now)
    for message in catalogue:
        if not message.id:
            continue
        assert not message.fuzzy
        ids = (message.id,) if isinstance(message.id, str) else message.id
        strings = (message.string,) if isinstance(message.string, str) else message.string
        if len(ids) > 1:
            assert len(strings) == get_plural(code).num_plurals
        for text in strings:
            assert names(text) == names(ids[-1]), message.id


@pytest.mark.parametrize("code", OTHERS)
def test_what_is_read_is_what_translators_wrote(code: str) -> None:
    """The `.po` is as the tool writes it, the `.mo` is made of it."""
    catalogue = words.updated(code)
    assert (words.DATA / f"{code}.po").read_bytes() == words.po_bytes(catalogue)
    assert (words.DATA / f"{code}.mo").read_bytes() == words.mo_bytes(catalogue)


@pytest.mark.parametrize("code", OTHERS)
def test_little_is_left_as_it_was(code: str) -> None:
    """Fewer than one in thirty messages reads as the original: names of parts, units, words that both languages share."""
    catalogue = words.read(code)
    alike = [m.id for m in catalogue if m.id and m.id == m.string]
    assert len(alike) < len(catalogue) / 30, alike


def test_every_call_gives_what_its_message_names() -> None:
    """No place without its value, no value without its place; the count of `trn` comes by itself."""
    wrong = []
    for path in sorted(words.SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not isinstance(node, ast.Call) or getattr(node.func, "id", "") not in {"tr", "trn"}:
                continue
            texts = [a.value for a in node.args if isinstance(a, ast.Constant) and isinstance(a.value, str)]
            if not texts or any(k.arg is None for k in node.keywords):
                continue
            given_ = {k.arg for k in node.keywords}
            wanted = {n.split("!")[0] for n in names(texts[-1])} if given_ or node.func.id == "trn" else set()
            if given_ | ({"count"} if node.func.id == "trn" else set()) != wanted | (
                {"count"} if node.func.id == "trn" else set()
            ):
                wrong.append(f"{path.relative_to(words.SOURCE)}:{node.lineno} {texts[-1]!r} {sorted(given_)}")
    assert wrong == []


#: Sources of values are kept in the job as they are, so that another language reads them too.
SOURCES = ("typed from the data sheet", "given at the start", "typed in Control")


def _naked(path: Path) -> list[str]:
    """Sentences of a file of the window that go past the catalogue: constants and f-strings of several words that no call of tr holds."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    parents = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        elif isinstance(node, ast.JoinedStr):
            text = "".join(v.value if isinstance(v, ast.Constant) else "…" for v in node.values)
        else:
            continue
        if not re.search(r"[^\W\d_]{3,},? [^\W\d_]{2,},? [^\W\d_]{2,}", text) or "{" in text or "<" in text:
            continue
        above, held = node, False
        while above in parents:
            above = parents[above]
            if isinstance(above, ast.Call) and getattr(above.func, "id", "") in {
                "tr",
                "trn",
                "mark",
                "print",
            }:
                held = True
            if isinstance(above, ast.Expr) and isinstance(above.value, ast.Constant):
                held = True  # a docstring
            if isinstance(above, ast.Raise) and "Assertion" in ast.dump(above):
                held = True
            if isinstance(above, ast.Assert):
                held = True
        if not held:
            found.append(f"{path.name}:{node.lineno} {text[:70]}")
    return found


def test_no_sentence_of_the_window_goes_past_the_catalogue() -> None:
    """Three words in a row that no call of `tr` holds; what the tool makes pictures of and what no one reads is left out."""
    left = {"shots.py", "theme.py"}
    found = [
        line
        for p in sorted((words.SOURCE / "desktop").rglob("*.py"))
        if p.name not in left
        for line in _naked(p)
    ]
    assert [f for f in found if not f.endswith(SOURCES)] == []


def test_a_number_of_things_has_its_form() -> None:
    """One and many, in either language."""
    assert trn("{count} reading", "{count} readings", 1) == "1 reading"
    assert trn("{count} reading", "{count} readings", 3) == "3 readings"
    german = spoken._catalogue("de")
    for count, form in ((0, "0 Messwerte"), (1, "1 Messwert"), (2, "2 Messwerte")):
        assert german.ngettext("{count} reading", "{count} readings", count).format(count=count) == form


@given(st.text(), st.text())
def test_any_text_passes_as_a_value(message: str, value: str) -> None:
    """What has no translation is said as it is; a value is never read as a message."""
    assert tr(message) == message
    assert tr("{what} is not made yet.", what=value) == f"{value} is not made yet."


@pytest.mark.parametrize(
    ("environment", "kept", "code"),
    [
        ({"LANG": "de_AT.UTF-8"}, "", "de"),
        ({"LANG": "C.UTF-8"}, "", "en"),
        ({"LANGUAGE": "fr:de:en", "LANG": "fr_FR.UTF-8"}, "", "de"),
        ({"LC_ALL": "en_GB", "LANG": "de_DE"}, "", "en"),
        ({"LANG": "de_DE"}, "[General]\nlanguage=en\n", "en"),
        ({"LANG": "en_GB"}, "[General]\ntheme=dark\nlanguage=de\n", "de"),
        ({"LANG": "de_DE"}, "[General]\nlanguage=system\n", "de"),
        ({"LANG": "en_GB"}, "[General]\nlanguage=klingon\n", "en"),
        ({"LANG": "de_DE"}, "no settings at all = [[\n%", "de"),
        ({"LANG": "de_DE", "PIGTAIL_LANGUAGE": "en"}, "[General]\nlanguage=de\n", "en"),
        ({}, "", "en"),
    ],
)
def test_the_language_is_that_of_the_settings_else_of_the_desk(
    environment: dict[str, str], kept: str, code: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By the order of POSIX and gettext: LANGUAGE, LC_ALL, LC_MESSAGES, LANG; damaged settings are no settings."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG", "PIGTAIL_LANGUAGE"):
        monkeypatch.delenv(name, raising=False)
    for name, value in environment.items():
        monkeypatch.setenv(name, value)
    settings = tmp_path / "pigtail.conf"
    settings.write_text(kept)
    assert chosen(settings) == code
    assert of_desk() in LANGUAGES


def test_a_table_is_said_by_its_fields(monkeypatch: pytest.MonkeyPatch) -> None:
    """Only what is named; what a number or a key is stays."""
    monkeypatch.setattr(spoken, "_code", "de")
    monkeypatch.setattr(spoken, "_said", spoken._catalogue("de"))
    table = {
        "x": {"says": "No feed is planned yet: propose a plan or add a link.", "severity": "unknown", "n": 1}
    }
    told = said("findings.toml", table)
    assert told["x"]["says"].startswith("Noch ist keine Zuspielung")
    assert (told["x"]["severity"], told["x"]["n"]) == ("unknown", 1)
    assert said("taps.toml", {"criteria": {"fixed": "fixed level"}})["criteria"]["fixed"] == "fester Pegel"


STUDIED = """
import json, re
from pigtail.language import language
from pigtail.advice.remedies import advised
from pigtail.catalogue.demo import demo
from pigtail.sheet.write import pack_files
from pigtail.studies.all import study_job
told = {}
for name in ("larkmoor", "tidewell"):
    job = demo(name).job
    studies = advised(job, study_job(job))
    told[name] = [
        [s.name, s.verdict.value, [[f.code, f.severity.value, f.subject, f.value, len(f.remedies)] for f in s.findings]]
        for s in studies.each()
    ]
    told[name + "/asked"] = [repr((a.point, a.against, a.state, a.function.name)) for a in studies.asked]
    told[name + "/files"] = sorted(pack_files(job, studies))
    told[name + "/words"] = " ".join(f.sentence for s in studies.each() for f in s.findings)
print(json.dumps(told))
"""


def _studied(code: str) -> dict[str, object]:
    done = subprocess.run(
        [sys.executable, "-c", STUDIED],
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
        env=os.environ | {"PIGTAIL_LANGUAGE": code},
    )
    assert done.returncode == 0, done.stderr
    found: dict[str, object] = json.loads(done.stdout)
    return found


def test_another_language_changes_words_and_nothing_else() -> None:
    """Verdicts, findings, values, remedies, what is asked and what is written are the same in both; the sentences are not."""
    english, german = _studied("en"), _studied("de")
    for key, value in english.items():
        if key.endswith("/words"):
            assert german[key] != value
            own = str(german[key]).replace(
                "0 V star at the reservoir", ""
            )  # what the job itself is called stays
            assert not re.search(r"\b(the|is|with|while|where|from)\b", own)
        else:
            assert german[key] == value


#: Fields of tables that hold keys, netlists and names of enumerations; these are said where they are shown, if at all.
NO_WORDS = {
    "acts", "default", "does", "domain", "files", "keeps", "lacks", "netlist", "place", "plus", "pulls", "role", "school", "sketch", "supply",
    "traits", "trait", "way", "when", "wire",
}  # fmt: skip
#: Tables of the model that no one reads.
INNER = {"devices.toml", "models.toml"}


def _texts(table: object, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], str]]:
    """Each text of a table with the fields that lead to it."""
    if isinstance(table, dict):
        for key, value in table.items():
            yield from _texts(value, (*path, key))
    elif isinstance(table, list):
        for value in table:
            yield from _texts(value, path)
    elif isinstance(table, str):
        yield path, table


def test_no_words_of_a_table_go_past_the_catalogue() -> None:
    """Two words in a row, in a field that is not said: menus and remedies were left in English so."""
    left = [
        f"{file.name} {'.'.join(path)}: {text[:60]}"
        for file in sorted(words.SOURCE.rglob("*.toml"))
        if file.name not in INNER
        for path, text in _texts(tomllib.loads(file.read_text(encoding="utf-8")))
        if "*" not in TABLES.get(file.name, ())
        and not NO_WORDS.union(TABLES.get(file.name, ())).intersection(path)
        and re.search(r"[a-z]{2,} [a-z]{2,}", text)
    ]
    assert left == []


@pytest.mark.parametrize("code", OTHERS)
def test_a_refusal_is_said(code: str) -> None:
    """What is typed wrongly, and a meter that does not answer, are told in the language that is spoken."""
    told = "from pigtail.units.entry import *\ntry: parse_quantity('5 dBv', 'V')\nexcept UnreadableError as e: print(e)\n"
    told += "from pigtail.bench.address import *\nprint(words_of(ConnectionRefusedError(), 1))"
    said = [
        subprocess.run(
            [sys.executable, "-c", told],
            env=os.environ | {"PIGTAIL_LANGUAGE": c},
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        for c in ("en", code)
    ]
    for english, other in zip(said[0].splitlines(), said[1].splitlines(), strict=True):
        assert english
        assert other
        assert english != other
