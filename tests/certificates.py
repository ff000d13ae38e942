"""Certificates of one's own, made by the real openssl."""

from __future__ import annotations

import subprocess
from pathlib import Path


def own_certificate(folder: Path) -> tuple[Path, Path]:
    """A certificate of 127.0.0.1 that nobody vouches for, and its key."""
    chain, key = folder / "chain.pem", folder / "key.pem"
    words = (
        "req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -days 2 "
        "-subj /CN=localhost -addext subjectAltName=IP:127.0.0.1"
    )
    subprocess.run(
        ["openssl", *words.split(), "-keyout", key, "-out", chain], check=True, capture_output=True
    )
    return chain, key
