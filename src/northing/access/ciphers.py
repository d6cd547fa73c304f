"""Encryption of what is stored and must be read again, with keys made from SECRET_KEY."""

import base64
import hashlib

from cryptography.fernet import Fernet
from django.conf import settings


def cipher_for(purpose: str) -> Fernet:
    """The cipher of one purpose: what one purpose encrypts no other can read."""
    return Fernet(base64.urlsafe_b64encode(hashlib.sha256(f"{purpose} {settings.SECRET_KEY}".encode()).digest()))
