"""An address that is told what happens, over real HTTP: signed, once, again where it fails."""

import json
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

from northing.integrations.hook.http import NotTaken, deliver, signature
from northing.integrations.outside import NotOutside, place_of


@pytest.fixture
def listener():
    """A server that keeps what it was told and answers with what it is set to."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self):
            body = self.rfile.read(int(self.headers["Content-Length"]))
            server.got.append((self.headers["Northing-Signature"], self.headers["Northing-Delivery"], body))
            self.send_response(server.status)
            if server.status == 302:
                self.send_header("Location", "http://127.0.0.1:1/elsewhere")
            self.end_headers()

        def log_message(self, *args):
            pass

    server = HTTPServer(("127.0.0.1", 0), Handler)
    server.got, server.status = [], 204
    server.url = f"http://127.0.0.1:{server.server_port}/told"
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield server
    server.shutdown()


def test_signed_so_that_the_receiver_can_tell(listener):
    body = json.dumps({"kind": "departed"}).encode()
    assert deliver(listener.url, "secret", "7", 1_700_000_000, body, private=True) == 204
    [(signed, key, got)] = listener.got
    assert (got, key) == (body, "7")
    assert signed == signature("secret", 1_700_000_000, body)
    assert signed != signature("secret", 1_700_000_001, body)
    assert signed != signature("other", 1_700_000_000, body)


@pytest.mark.parametrize(("status", "words"), [(500, "answers 500"), (302, "answers 302"), (410, "answers 410")])
def test_what_is_not_taken(listener, status, words):
    listener.status = status
    with pytest.raises(NotTaken, match=words):
        deliver(listener.url, "s", "1", 1, b"{}", private=True)
    with pytest.raises(NotTaken, match="cannot be reached"):
        deliver("http://127.0.0.1:1/", "s", "1", 1, b"{}", private=True)


@pytest.mark.parametrize(
    "host", ["127.0.0.1", "10.1.2.3", "[::1]", "169.254.169.254", "localhost", "[::ffff:10.0.0.1]"]
)
def test_our_own_network_is_not_asked_unless_that_is_allowed(host):
    with pytest.raises(NotTaken, match="private network|not known"):
        deliver(f"http://{host}:1/", "s", "1", 1, b"{}")


def test_a_name_is_looked_up_once_and_all_it_means_is_looked_at(monkeypatch):
    answers = iter([["93.184.216.34"], ["93.184.216.34", "10.0.0.1"]])
    monkeypatch.setattr("socket.getaddrinfo", lambda *_, **__: [(0, 0, 0, "", (one, 443)) for one in next(answers)])
    place = place_of("https://told.example/x?y=1", private=False)
    assert place.url == "https://93.184.216.34:443/x?y=1"
    assert (place.headers, place.extensions) == ({"Host": "told.example"}, {"sni_hostname": "told.example"})
    with pytest.raises(NotOutside, match="private network"):
        place_of("https://told.example/", private=False)
    with pytest.raises(NotOutside, match="no address of the web"):
        place_of("file:///etc/passwd", private=True)
