"""The palette knows what the trade calls things, in every view, and offers nothing that does not fit."""

import pytest

from pale_heron.tui.actions.finding import ALSO, found, place
from pale_heron.tui.actions.table import ACTIONS
from pale_heron.tui.views.table import VIEWS

WORDS = {
    "baud": "settings", "parity": "settings", "stop bits": "settings", "flow": "settings", "rts": "settings",
    "dtr": "settings", "break": "settings", "newline": "settings", "line end": "settings",
    "autobaud": "find the rate", "pause": "hold", "freeze": "hold", "log": "Traffic", "terminal": "Traffic",
    "filter": "show only", "gga": "show only", "search": "find", "regex": "find", "error": "trouble",
    "damage": "trouble", "checksum": "trouble", "follow": "newest", "hex": "base", "ascii": "base",
    "timestamp": "time", "clipboard": "copy", "decode": "whole line", "cold": "orders", "reset": "orders",
    "macro": "own keys", "repeat": "own keys", "shortcut": "own keys", "disconnect": "close lane",
    "reconnect": "close lane", "connect": "add lane", "port": "add lane", "theme": "dark, light",
    "zoom": "closer", "keys": "own keys", "bindings": "help", "satellite": "page", "sky": "page",
    "position": "Fix", "altitude": "Fix", "latency": "Clock", "jitter": "Clock", "pps": "pulses",
    "ntp": "ask a server", "ping": "Link", "loss": "Link", "throughput": "Link", "report": "report",
    "chart": "keep drawing", "export": "keep drawing", "bookmark": "mark", "record": "Traffic",
    "modem": "Module", "script": "routine", "send": "send", "exit": "quit", "stop": "close lane",
}  # fmt: skip


@pytest.mark.parametrize(("word", "label"), WORDS.items())
def test_a_word_of_the_trade_finds_its_action_among_the_first(word: str, label: str) -> None:
    """From Line, while it is live: three rows are seen at a glance."""
    first = [each.action.label for each in found(word, "line", replay=False)[:3]]
    assert label in first, first


def test_each_other_word_belongs_to_an_action_and_finds_it_in_its_own_view() -> None:
    by_place = {place(action): action for action in ACTIONS}
    assert set(ALSO) <= set(by_place)
    for where, words in ALSO.items():
        action = by_place[where]
        view, replay = where[0] or "line", action.source == "replay"
        for word in words.split():
            assert action in [each.action for each in found(word, view, replay=replay)], (where, word)


@pytest.mark.parametrize("view", VIEWS)
@pytest.mark.parametrize("replay", [False, True])
def test_what_is_found_fits_every_word_and_can_be_done_where_it_leads(view: str, replay: bool) -> None:
    for query in ("baud", "stop", "page", "keep drawing", "e", "a lane", "xyzzy", "baud xyzzy", "", " "):
        for each in found(query, view, replay=replay):
            assert each.action.works(each.view or view, replay) and "xyzzy" not in query
            text = f"{each.action.label} {ALSO.get(place(each.action), '')} {each.action.help}".lower()
            assert all(word in text for word in query.split())
    scores = [each.score for each in found("rate", view, replay=replay)]
    assert scores == sorted(scores, reverse=True)
