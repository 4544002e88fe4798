"""Certificates for tests, of loopback and of an invented name."""

import subprocess
from pathlib import Path


def certificate_in(folder: Path) -> tuple[str, str]:
    """Make a certificate that vouches for itself; return its path and that of its key."""
    key, certificate = str(folder / "key.pem"), str(folder / "cert.pem")
    names = "subjectAltName=IP:127.0.0.1,DNS:hall.example"
    made = ["openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes"]
    asked = ["-subj", "/CN=hall", "-addext", names, "-keyout", key, "-out", certificate]
    subprocess.run([*made, *asked], check=True, capture_output=True)
    return certificate, key
