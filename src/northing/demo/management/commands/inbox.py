"""`manage inbox`: the stand-in for the post, an SMTP server on loopback with a page that shows what came."""

from django.core.management.base import BaseCommand

from northing.demo.standing import until_stopped
from northing.integrations.mail.standin import Inbox, serve


class Command(BaseCommand):
    help = "Take mails on loopback and show them on a page"

    def add_arguments(self, parser):
        parser.add_argument("--smtp", type=int, required=True)
        parser.add_argument("--page", type=int, required=True)

    def handle(self, *args, smtp, page, **options):
        server, shown = serve(Inbox(), smtp, page)
        until_stopped(shown.shutdown, server.stop)
