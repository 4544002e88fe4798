"""Tokens that stand in addresses: whoever has one may do what it is for. What is kept of them does not give them away."""

import hashlib
import secrets


def new_token() -> str:
    """Return a token of 192 random bits, to be shown once."""
    return secrets.token_urlsafe(24)


def kept_of(token: str) -> str:
    """Return what is kept of a token: its SHA-256 in hexadecimal. It is too long to be guessed, so no salt is needed."""
    return hashlib.sha256(token.encode()).hexdigest()
