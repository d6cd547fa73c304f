"""The stand-in for a central bank: yesterday's rates against the euro, and the faults of real ones.

The rates of a day follow from the day and a seed alone. There are none of Saturdays and Sundays; one day in twenty
comes late, as the day before; one in forty gives a currency at 1.4 times its rate.
"""

import random
import threading
from collections.abc import Callable, Mapping
from datetime import date, timedelta
from decimal import Decimal
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

SEED = 20261129
SUNDAY_AND_SATURDAY = (5, 6)
# One euro is so much of each.
USUAL = {"USD": "1.0850", "NZD": "1.7815", "AUD": "1.6344", "JPY": "165.20", "SGD": "1.4480", "GBP": "0.8420"}
SPACES = (
    'xmlns:gesmes="http://www.gesmes.org/xml/2002-08-01" xmlns="http://www.ecb.int/vocabulary/2002-08-01/eurofxref"'
)


def rates_on(day: date, usual: Mapping[str, str], seed: int = SEED) -> dict[str, Decimal]:
    """One euro in each currency on a day: within three in a hundred of what is usual, but for a jump now and then."""
    chance = random.Random(f"{seed} {day}")
    found = {}
    for currency, rate in usual.items():
        found[currency] = round(Decimal(rate) * Decimal(1000 + chance.randint(-30, 30)) / 1000, 4)
    if chance.random() < 1 / 40:
        jumped = chance.choice(sorted(found))
        found[jumped] = round(found[jumped] * Decimal("1.4"), 4)
    return found


def published_on(today: date, seed: int = SEED) -> date:
    """The day whose rates stand on the address today."""
    day = today - timedelta(days=1 if random.Random(f"late {seed} {today}").random() < 1 / 20 else 0)
    while day.weekday() in SUNDAY_AND_SATURDAY:
        day -= timedelta(days=1)
    return day


def document(day: date, rates: Mapping[str, Decimal]) -> bytes:
    """The rates of a day as the bank writes them."""
    rows = "".join(f"<Cube currency='{currency}' rate='{rate}'/>" for currency, rate in sorted(rates.items()))
    head = f"<?xml version='1.0' encoding='UTF-8'?><gesmes:Envelope {SPACES}><gesmes:subject>Reference rates"
    return f"{head}</gesmes:subject><Cube><Cube time='{day}'>{rows}</Cube></Cube></gesmes:Envelope>".encode()


def serve(today: Callable[[], date], port: int, usual: Mapping[str, str] = USUAL) -> ThreadingHTTPServer:
    """The service on loopback, in a thread of its own: GET /daily.xml."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            known = self.path.partition("?")[0] == "/daily.xml"
            day = published_on(today())
            body = document(day, rates_on(day, usual)) if known else b"not here"
            self.send_response(200 if known else 404)
            self.send_header("Content-Type", "application/xml" if known else "text/plain")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
