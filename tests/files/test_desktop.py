"""The desktop entry and what goes with it.

Sources: Desktop Entry Specification 1.5, "The Exec key" and "Possible value types" (freedesktop.org, from memory); the
metadata is validated by `appstreamcli` where that is installed.
"""

from __future__ import annotations

import configparser
import json
import shutil
import subprocess
import xml.etree.ElementTree as ElementTree
from importlib.resources import files
from pathlib import Path

import pytest

from dynamis import __version__
from dynamis.app import main
from dynamis.errors import InputError
from dynamis.files.desktop import data_home, install, quoted_command, remove


@pytest.fixture
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return tmp_path / "data"


def test_what_is_installed_is_whole_and_goes_again(home, capsys):
    (home / "applications").mkdir(parents=True)
    (home / "applications" / "other.desktop").write_text("[Desktop Entry]\n")
    assert main(["desktop", "--install", "--json"]) == 0
    paths = [Path(path) for path in json.loads(capsys.readouterr().out)["installed"]]
    assert len(paths) == 6
    assert all(path.is_file() and home in path.parents for path in paths)
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(home / "applications" / "dynamis.desktop")
    command = entry["Desktop Entry"]["Exec"]
    assert command.endswith(" %f")
    assert Path(command.removesuffix(" %f").strip('"')).name == "dynamis"
    kind = ElementTree.parse(home / "mime" / "packages" / "dynamis.xml").getroot()[0]
    assert kind.get("type") in entry["Desktop Entry"]["MimeType"]
    assert __version__ in (home / "man" / "man1" / "dynamis.1").read_text()
    assert main(["desktop", "--remove"]) == 0
    assert capsys.readouterr().out.count("Removed") == 6
    assert not any(path.exists() for path in paths)
    assert (home / "applications" / "other.desktop").exists()
    assert remove() == []


@pytest.mark.parametrize(
    ("path", "written"),
    [
        ("/a/dynamis", '"/a/dynamis"'),
        ("/a b/100%/dynamis", '"/a b/100%%/dynamis"'),
        ('/a"b$`/dynamis', '"/a\\\\"b\\\\$\\\\`/dynamis"'),
        ("/a\\b", '"/a\\\\\\\\b"'),
    ],
)
def test_a_command_is_quoted_as_the_specification_says(path, written):
    assert quoted_command(path) == written


def test_what_cannot_be_installed_is_said_in_one_line(home, monkeypatch, capsys):
    with pytest.raises(InputError, match="control characters"):
        quoted_command("/a\nb")
    home.write_text("a file where the folder should be")
    assert main(["desktop", "--install"]) == 2
    assert capsys.readouterr().err.startswith(f"dynamis: {home}")
    assert main(["desktop"]) == 2
    assert "--install or --remove" in capsys.readouterr().err
    monkeypatch.setenv("XDG_DATA_HOME", "relative")
    assert data_home() == Path.home() / ".local" / "share"
    monkeypatch.setenv("XDG_DATA_HOME", str(home.with_name("second")))
    assert len(install()) == 6


@pytest.mark.skipif(shutil.which("appstreamcli") is None, reason="appstreamcli is not installed")
def test_the_metadata_are_valid():
    path = files("dynamis.files") / "desktop_entry" / "dynamis.metainfo.xml"
    done = subprocess.run(
        ["appstreamcli", "validate", "--no-net", str(path)], capture_output=True, text=True, timeout=60
    )
    assert done.returncode == 0, done.stdout
    root = ElementTree.parse(str(path)).getroot()
    assert root.find("releases/release").get("version") == __version__
