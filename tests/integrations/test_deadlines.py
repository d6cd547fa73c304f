"""An address that sends a byte now and then does not keep us: each call outside has a whole deadline."""

import socket
import threading
import time

import pytest

from northing.integrations import reading
from northing.integrations.hook import http
from northing.integrations.mail import smtp
from northing.integrations.mail.base import Letter, Undeliverable
from northing.integrations.outside import NotOutside, place_of
from northing.integrations.reading import Unreachable, read_from

REAL_CLOCK = True


@pytest.fixture
def dribble():
    """An address that answers with a byte every tenth of a second, for ever."""
    over = threading.Event()
    door = socket.create_server(("127.0.0.1", 0))
    begun = {"words": b"HTTP/1.1 200 OK\r\nContent-Length: 99999\r\n\r\n"}

    def serve():
        while not over.is_set():
            try:
                caller, _ = door.accept()
            except OSError:
                return
            threading.Thread(target=speak, args=(caller,), daemon=True).start()

    def speak(caller):
        try:
            caller.sendall(begun["words"])
            while not over.wait(0.1):
                caller.sendall(b"x")
        except OSError:
            pass

    threading.Thread(target=serve, daemon=True).start()
    yield door.getsockname()[1], begun
    over.set()
    door.close()


def took(call, error):
    """Seconds until the call raised."""
    begun = time.monotonic()
    with pytest.raises(error):
        call()
    return time.monotonic() - begun


@pytest.mark.parametrize("words", [b"HTTP/1.1 200 OK\r\nContent-Length: 99999\r\n\r\n", b"HTTP/1.1 200 OK\r\nX-Slow: "])
def test_a_feed_in_drops_is_left(dribble, monkeypatch, words):
    port, begun = dribble
    begun["words"] = words
    monkeypatch.setattr(reading, "DEADLINE", 0.6)
    url = f"http://127.0.0.1:{port}/events"
    assert took(lambda: read_from(url, "application/json", private=True), Unreachable) < 3


def test_a_webhook_in_drops_is_left(dribble, monkeypatch):
    port, begun = dribble
    begun["words"] = b"HTTP/1.1 "
    monkeypatch.setattr(http, "DEADLINE", 0.6)
    call = lambda: http.deliver(f"http://127.0.0.1:{port}/", "s", "k", 1, b"{}", private=True)  # noqa: E731
    assert took(call, http.NotTaken) < 3


@pytest.mark.parametrize("words", [b"2", b"220 here\r\n25"])
def test_a_mail_server_in_drops_is_left(dribble, monkeypatch, words):
    port, begun = dribble
    begun["words"] = words
    monkeypatch.setattr(smtp, "DEADLINE", 0.6)
    letter = Letter("a@b.example", "c@d.example", "s", "b", "<1@b.example>")
    assert took(lambda: smtp.SmtpPost(f"smtp://127.0.0.1:{port}").send(letter), Undeliverable) < 3


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1",
        "10.1.2.3",
        "[::1]",
        "[::ffff:10.0.0.1]",
        "[64:ff9b::10.0.0.1]",
        "[64:ff9b:1::1]",
        "[2002:0a00:0001::]",
        "[::10.0.0.1]",
        "[fec0::1]",
        "[fd00::1]",
        "169.254.169.254",
    ],
)
def test_our_own_network_is_not_asked_however_it_is_written(host):
    with pytest.raises(NotOutside, match="private network"):
        place_of(f"http://{host}/", private=False)
