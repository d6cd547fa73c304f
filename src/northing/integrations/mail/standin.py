"""The stand-in: a real SMTP server on loopback that keeps what it gets, and a page that shows it.

Mail to an address whose name begins with `refuse` is refused for good, with `later` put off for now; so that failures
can be tried out.
"""

import html
import threading
from dataclasses import dataclass, field
from email import message_from_bytes, policy
from email.message import EmailMessage
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

MOST = 500
PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Inbox of the demo</title>
<style>body{{font:15px/1.45 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#12303d;
background:#f6f0e2}}article{{background:#fffdf7;border:1px solid #d8cdb4;padding:.6rem 1rem;margin:0 0 1rem}}
pre{{white-space:pre-wrap;font:inherit}}small{{color:#52666b}}h2{{font-size:1.05rem;margin:.2rem 0}}</style>
<h1>Inbox of the demo</h1>
<p>Every mail that the application sent, newest first. Nothing leaves this machine.</p>{mails}"""


@dataclass
class Inbox:
    """The mails that came, oldest first; each Message-ID once, as a careful receiver keeps them."""

    mails: list[EmailMessage] = field(default_factory=list)
    repeats: int = 0

    async def handle_RCPT(  # noqa: N802  aiosmtpd looks for this name
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        if address.startswith("refuse"):
            return "550 no such mailbox"
        if address.startswith("later"):
            return "451 the mailbox is busy, try again later"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:  # noqa: N802
        content = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        mail = message_from_bytes(content, policy=policy.default)
        assert isinstance(mail, EmailMessage)
        if any(mail["Message-ID"] == known["Message-ID"] for known in self.mails):
            self.repeats += 1
            return "250 OK"
        self.mails = [*self.mails, mail][-MOST:]
        return "250 OK"


def body_of(mail: EmailMessage) -> str:
    """The text of a mail."""
    part = mail.get_body(("plain",))
    return part.get_content() if part else ""


def attachments_of(mail: EmailMessage) -> list[tuple[str, bytes]]:
    """Names and contents of what came along."""
    return [(part.get_filename() or "", part.get_payload(decode=True)) for part in mail.iter_attachments()]


def drawn(inbox: Inbox) -> str:
    """The inbox as a page; addresses in the text can be followed."""
    return PAGE.format(mails="".join(_mail(place, mail) for place, mail in reversed(list(enumerate(inbox.mails)))))


def _mail(place: int, mail: EmailMessage) -> str:
    words = [_linked(word) for word in html.escape(body_of(mail)).split(" ")]
    files = "".join(
        f'<p><a href="/{place}/{number}">{html.escape(name)}</a> <small>{len(content)} bytes</small></p>'
        for number, (name, content) in enumerate(attachments_of(mail))
    )
    head = f"{html.escape(mail['To'])} <small>from {html.escape(mail['From'])}, {html.escape(mail['Date'])}</small>"
    return f"<article><h2>{html.escape(mail['Subject'])}</h2><p>{head}</p><pre>{' '.join(words)}</pre>{files}</article>"


def _linked(word: str) -> str:
    lines = word.split("\n")
    return "\n".join(f'<a href="{line}">{line}</a>' if line.startswith("http") else line for line in lines)


def _handler(inbox: Inbox) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:  # noqa: N802
            found = self._found()
            self.send_response(200 if found else 404)
            kind, content = found or ("text/plain", b"not here")
            self.send_header("Content-Type", kind)
            if not kind.startswith("text/html"):
                self.send_header("Content-Disposition", "attachment")
            self.end_headers()
            self.wfile.write(content)

        def _found(self) -> tuple[str, bytes] | None:
            if self.path == "/":
                return "text/html; charset=utf-8", drawn(inbox).encode()
            parts = self.path.strip("/").split("/")
            if len(parts) == 2 and all(part.isdigit() for part in parts) and int(parts[0]) < len(inbox.mails):
                files = attachments_of(inbox.mails[int(parts[0])])
                if int(parts[1]) < len(files):
                    return "application/octet-stream", files[int(parts[1])][1]
            return None

        def log_message(self, *words: object) -> None:
            """Quiet: the terminal belongs to the application."""

    return Handler


def serve(inbox: Inbox, smtp_port: int, page_port: int) -> tuple[Controller, ThreadingHTTPServer]:
    """Start both on loopback, in threads of their own."""
    smtp = Controller(inbox, hostname="127.0.0.1", port=smtp_port)
    smtp.start()
    page = ThreadingHTTPServer(("127.0.0.1", page_port), _handler(inbox))
    threading.Thread(target=page.serve_forever, daemon=True).start()
    return smtp, page
