"""Users without a home, and folders that cannot be searched: no command ends with a fault for that."""

import subprocess
import sys
from pathlib import Path

import pytest

from pale_heron.capture.places import new_capture_path
from pale_heron.cli.watch import show
from pale_heron.core.trouble import Trouble
from pale_heron.files import user_folders
from pale_heron.system import user_id
from tests.cli.test_commands import run
from tests.streams import GGA

NEVER = "/tmp/" + "n" * 300
"""A folder that no user can search, not even one who may do anything: the system refuses so long a name."""


@pytest.mark.parametrize("variable", ["PALE_HERON_CONFIG", "XDG_RUNTIME_DIR", "HOME", "XDG_CONFIG_HOME"])
@pytest.mark.parametrize("words", [("ports",), ("dialect", "list"), ("routine", "list"), ("completion", "bash")])
def test_what_cannot_be_searched_holds_nothing(variable: str, words: tuple[str, ...]) -> None:
    done = run(*words, **{variable: NEVER})
    assert done.returncode in (0, 1), done.stderr
    if words == ("dialect", "list") and variable == "PALE_HERON_CONFIG":
        assert b"which cannot be searched: File name too long" in done.stdout


def test_what_cannot_be_written_names_a_way_out_that_there_is(tmp_path: Path) -> None:
    for words in (
        ("record", "curlew=/dev/x", "-o", f"{NEVER}/x.pcapng", "--for", "1s"),
        ("dialect", "new", "my-modem", "-o", f"{NEVER}/x.toml"),
        ("summary", f"{NEVER}/x.pcapng"),
        ("cut", str(tmp_path / "a.nmea"), "-o", f"{NEVER}/x.nmea"),
    ):
        (tmp_path / "a.nmea").write_bytes(GGA)
        done = run(*words)
        assert done.returncode == 2, (words, done.stderr)
        assert b"fault" not in done.stderr
        assert b"--no-capture" not in done.stderr, "none of these has it"


def test_the_screen_can_go_without_a_record(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CAPTURES", NEVER)
    with pytest.raises(Trouble, match="PALE_HERON_CAPTURES to a folder of yours, or go without a record: --no-capture"):
        show("marsh", [], record=True)


def test_a_user_without_home_has_folders_all_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def homeless(_: str) -> Path:
        raise RuntimeError("could not determine the home directory")

    for name in ("user_config_path", "user_data_path"):
        monkeypatch.setattr(user_folders, name, homeless)
    for variable in (user_folders.CONFIG_VARIABLE, user_folders.CAPTURES_VARIABLE):
        monkeypatch.delenv(variable, raising=False)
    monkeypatch.setattr(user_folders.tempfile, "gettempdir", lambda: str(tmp_path))
    assert user_folders.config_folder().name == "config"
    assert f"pale-heron-{user_id()}" in str(new_capture_path("marsh", 0))
    # What somebody else may have put there is not taken for the user's own.
    base = tmp_path / f"pale-heron-{user_id()}"
    base.rename(tmp_path / "elsewhere")
    base.symlink_to(tmp_path / "elsewhere")
    with pytest.raises(Trouble, match="Set HOME, or PALE_HERON_CONFIG"):
        user_folders.config_folder()


def test_a_lane_that_is_its_own_nickname_is_named_once() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "pale_heron", "send", "buoy7", "AT"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 2
    assert done.stderr.startswith("pale-heron: buoy7 is not there.")
