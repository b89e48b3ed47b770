"""What is handed out: the wheel and the source archive, whole, and runnable as they are; what an installation may leave out."""

from __future__ import annotations

import os
import subprocess
import sys
import tarfile
import zipfile
from pathlib import Path

import pytest

from pigtail.job.extras import MissingPackageError, command, loaded, there
from pigtail.studies.loudness import loudness_of

ROOT = Path(__file__).parents[2]


@pytest.fixture(scope="module")
def built(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the wheel and the source archive, made of the checkout."""
    folder = tmp_path_factory.mktemp("dist")
    subprocess.run(
        [sys.executable, "-m", "hatchling", "build", "-d", str(folder)],
        cwd=ROOT,
        check=True,
        capture_output=True,
    )
    return folder


def test_the_wheel_holds_what_the_program_and_the_desk_need(built: Path) -> None:
    """Every data file of the package, the desktop's files, the man page, the completions, the licences; no test, no picture."""
    (wheel,) = built.glob("*.whl")
    names = zipfile.ZipFile(wheel).namelist()
    for path in (ROOT / "src").rglob("*"):
        if path.is_file() and "__pycache__" not in path.parts and path.suffix != ".pyc":
            assert path.relative_to(ROOT / "src").as_posix() in names
    shared = {n.split(".data/data/", 1)[1] for n in names if ".data/data/" in n}
    assert {
        "share/applications/pigtail.desktop",
        "share/man/man1/pigtail.1",
        "share/metainfo/app.pigtail.Pigtail.metainfo.xml",
        "share/mime/packages/pigtail.xml",
        "share/bash-completion/completions/pigtail",
        "share/icons/hicolor/scalable/apps/pigtail.svg",
    } <= shared
    assert any(n.endswith("OFL.txt") for n in names)
    assert not any(n.startswith(("tests/", "docs/")) for n in names)


def test_the_wheel_runs_on_its_own(built: Path, tmp_path: Path) -> None:
    """Put into an empty folder without the checkout: it tells its version, checks the demo and writes its sheet."""
    (wheel,) = built.glob("*.whl")
    place = tmp_path / "place"
    install = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "-q",
        "--no-deps",
        "--no-index",
        "--target",
        str(place),
    ]
    subprocess.run([*install, str(wheel)], check=True, capture_output=True)
    there = os.environ | {"PYTHONPATH": str(place), "QT_QPA_PLATFORM": "offscreen"}

    def run(*arguments: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "pigtail", *arguments],
            cwd=tmp_path, env=there, capture_output=True, text=True, check=True, timeout=120,
        )  # fmt: skip
        return done.stdout

    where = subprocess.run(
        [sys.executable, "-c", "import pigtail; print(pigtail.__file__)"],
        cwd=tmp_path, env=there, capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert str(place) in where.stdout
    assert "pigtail" in run("--version").lower()
    assert "Pigtail" in run("report")


def test_the_source_archive_can_be_tested_and_built(built: Path) -> None:
    """It holds the tests, the tools, the lock, and the script that runs all of it."""
    (archive,) = built.glob("*.tar.gz")
    with tarfile.open(archive) as packed:
        names = {n.split("/", 1)[1] for n in packed.getnames() if "/" in n}
    for name in (
        "Makefile",
        "requirements.lock",
        "tools/setup.sh",
        "tests/conftest.py",
        "README.md",
        "LICENSE",
    ):
        assert name in names


def test_what_is_not_installed_is_told_with_the_command(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Measuring a recording without the packages for it: what for, and the one command."""
    monkeypatch.setitem(sys.modules, "soundfile", None)
    assert not there("soundfile")
    with pytest.raises(
        MissingPackageError, match=r"measuring a recording needs .*pip install 'pigtail\[loudness\]'"
    ):
        loudness_of(tmp_path / "tone.wav")
    assert loaded("json", "none", "nothing").dumps(1) == "1"
    assert command("usb") == "pip install 'pigtail[usb]'"


def test_no_module_loads_an_extra_before_it_is_needed() -> None:
    """The program without the extras: every module loads, and the demo is studied."""
    code = (
        "import sys\n"
        "for name in ('scipy', 'soundfile', 'pyloudnorm', 'ezdxf', 'usb', 'gpib'): sys.modules[name] = None\n"
        "import pkgutil, importlib, pigtail\n"
        "for m in pkgutil.walk_packages(pigtail.__path__, 'pigtail.'):\n"
        "    if not m.name.endswith('__main__'): importlib.import_module(m.name)\n"
        "from pigtail.catalogue.demo import demo\n"
        "from pigtail.studies.all import study_job\n"
        "from pigtail.sheet.write import left_out, sheet_files\n"
        "from pigtail.sheet.content import make_sheet\n"
        "job = demo('larkmoor').job\n"
        "from msgspec.structs import replace\n"
        "from pigtail.job.build import Panel\n"
        "job = replace(job, build=replace(job.build, panel=Panel(width=200.0, height=60.0)))\n"
        "files = sheet_files(job, make_sheet(job, study_job(job)))\n"
        "print('template.dxf' in files, job.build.panel is None, left_out(job))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=False,
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"}, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("False False template.dxf is left out")
