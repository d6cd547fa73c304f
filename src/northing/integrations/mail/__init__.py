"""Mail: the real post over SMTP. Where it goes is a setting; the demo's stand-in speaks the same protocol."""

from northing.integrations.mail.base import Attachment, Letter, Post, Undeliverable
from northing.integrations.mail.smtp import SmtpPost

__all__ = ["Attachment", "Letter", "Post", "SmtpPost", "Undeliverable"]
