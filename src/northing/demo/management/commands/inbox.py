"""`manage inbox`: the stand-in for the post, an SMTP server on loopback with a page that shows what came."""

import signal

from django.core.management.base import BaseCommand

from northing.integrations.mail.standin import Inbox, serve


class Command(BaseCommand):
    help = "Take mails on loopback and show them on a page"

    def add_arguments(self, parser):
        parser.add_argument("--smtp", type=int, required=True)
        parser.add_argument("--page", type=int, required=True)

    def handle(self, *args, smtp, page, **options):
        server, shown = serve(Inbox(), smtp, page)
        signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
        try:
            signal.pause()
        except KeyboardInterrupt:
            pass
        finally:
            shown.shutdown()
            server.stop()
