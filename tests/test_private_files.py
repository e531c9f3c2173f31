"""What is for this user alone, and what must not be written through: planted links, folders of others, open modes."""

import contextlib
import os
import socket
import stat
from pathlib import Path

import pytest

from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_rows import kept_rows
from pale_heron.files.whole import written_whole
from pale_heron.ports.listing import ports
from pale_heron.ports.simulated import own_folder, simulated_folder
from pale_heron.sim.label import Label, label_of, write_label
from pale_heron.system import claim, private


def mode(path: Path) -> int:
    return stat.S_IMODE(path.stat().st_mode)


def test_a_planted_link_is_not_written_through(tmp_path: Path) -> None:
    victim = tmp_path / "victim"
    victim.write_text("precious")
    link = tmp_path / "curlew"
    label_of(link).symlink_to(victim)
    write_label(link, Label("simulated Curlew", "MARSH-1"))
    assert victim.read_text() == "precious" and not label_of(link).is_symlink()
    assert mode(label_of(link)) == 0o600
    target = tmp_path / "t.gpx"
    target.symlink_to(victim)
    with written_whole(target) as fresh:
        fresh.write_text("a track")
    assert victim.read_text() == "precious"
    assert target.read_text() == "a track" and not target.is_symlink()


@pytest.mark.parametrize("kind", ["pipe", "socket", "folder", "device", "recorded"])
def test_what_stands_there_and_is_no_plain_file_stays(kind: str, tmp_path: Path) -> None:
    """As root a rename over /dev/null makes a plain file of it, and one over a record that is written loses it."""
    target, before = tmp_path / "t.html", tmp_path / "t.html.new"
    before.write_text("of somebody else")
    with socket.socket(socket.AF_UNIX) as server, contextlib.ExitStack() as stack:
        if kind == "pipe":
            os.mkfifo(target)
        elif kind == "socket":
            server.bind(str(target))
        elif kind == "folder":
            target.mkdir()
        elif kind == "device":
            target.symlink_to("/dev/null")
        else:
            target.write_text("bytes that came")
            assert claim(stack.enter_context(target.open("rb")).fileno())
        kept = target.lstat()
        with pytest.raises(OSError, match=r"plain file|program that records"), written_whole(target) as fresh:
            fresh.write_text("a page")
    assert (target.lstat().st_ino, target.lstat().st_mode) == (kept.st_ino, kept.st_mode)
    assert sorted(each.name for each in tmp_path.iterdir()) == ["t.html", "t.html.new"]
    assert before.read_text() == "of somebody else"


def test_what_comes_there_meanwhile_stays_too(tmp_path: Path) -> None:
    target = tmp_path / "t.html"

    def written() -> None:
        with written_whole(target) as fresh:
            fresh.write_text("a page")
            os.mkfifo(target)

    with pytest.raises(OSError, match="plain file"):
        written()
    assert stat.S_ISFIFO(target.stat().st_mode)


def test_what_is_somebody_elses_is_left_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    theirs = tmp_path / "theirs"
    theirs.write_text("precious")
    monkeypatch.setattr(private, "is_ours", lambda path: path != theirs)
    with pytest.raises(OSError, match="belongs to somebody else"):
        private.remove_own(theirs)
    assert theirs.read_text() == "precious"
    private.remove_own(tmp_path / "nothing")


def test_simulated_devices_lie_in_a_folder_of_ones_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    assert own_folder() == simulated_folder()
    assert mode(own_folder()) == 0o700
    own_folder().rmdir()
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    simulated_folder().symlink_to(elsewhere)
    with pytest.raises(Trouble, match="XDG_RUNTIME_DIR"):
        own_folder()


def test_what_others_planted_is_not_listed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    (own_folder() / "curlew").symlink_to("/dev/null")
    assert [port.device for port in ports() if "curlew" in port.device]
    monkeypatch.setattr("pale_heron.ports.listing.is_ours", lambda _: False)
    assert not [port.device for port in ports() if "curlew" in port.device]


def test_what_may_hold_pass_phrases_is_for_its_user(tmp_path: Path) -> None:
    before = os.umask(0o022)
    try:
        CaptureWriter(tmp_path / "captures" / "a.pcapng").close()
        assert (mode(tmp_path / "captures"), mode(tmp_path / "captures" / "a.pcapng")) == (0o700, 0o600)
        bench = tmp_path / "bench.toml"
        with kept_rows(bench, "lane", "bench file") as row:
            row("nickname", "hide")
        assert mode(bench) == 0o600
        with written_whole(tmp_path / "t.svg") as fresh:
            fresh.write_text("x")
        assert mode(tmp_path / "t.svg") == 0o644
    finally:
        os.umask(before)
