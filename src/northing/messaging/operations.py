"""Writes of webhooks and mail servers."""

from datetime import datetime

from northing.messaging.models import MailServer, Webhook


def write_webhook(hook: Webhook) -> Webhook:
    """An address that learns what happened."""
    hook.save(force_insert=True)
    return hook


def end_webhook(hook: Webhook, at: datetime) -> None:
    """A webhook is disabled."""
    hook.ended_at = at
    hook.save(update_fields=["ended_at"])


def write_mail_server(server: MailServer) -> MailServer:
    """Letters go there from now on."""
    server.save(force_insert=True)
    return server
