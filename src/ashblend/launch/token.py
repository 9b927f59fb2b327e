"""The token of a server that others on the network reach: made once at random, kept beside the data folder."""

import os
import secrets
from pathlib import Path


def kept_token(data: Path) -> str:
    """The same at every start, so that open pages outlive one. Only the owner of the file can read it."""
    path = data.with_name(f"{data.name}.token")
    try:
        kept = path.read_text().strip()
        if len(kept) >= 32:
            return kept
    except FileNotFoundError:
        pass
    made = secrets.token_urlsafe(32)
    file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(file, "w") as out:
        os.fchmod(out.fileno(), 0o600)
        out.write(made)
    return made
