"""An authority made for a test, and a server's certificate that it signed."""

from datetime import UTC, datetime
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from cryptography.x509.oid import NameOID


def make_authority(folder: Path):
    """Return the authority's certificate, and the files of a server on loopback."""
    key, server_key = (ec.generate_private_key(ec.SECP256R1()) for _ in range(2))
    own = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Tern Coast authority")])
    begin, end = datetime(2026, 1, 1, tzinfo=UTC), datetime(2036, 1, 1, tzinfo=UTC)

    def signed(subject, public_key, *extensions):
        made = x509.CertificateBuilder(own, subject, public_key, x509.random_serial_number(),
                                       begin, end)  # fmt: skip
        for extension, is_critical in extensions:
            made = made.add_extension(extension, is_critical)
        return made.sign(key, hashes.SHA256()).public_bytes(Encoding.PEM)

    usage = x509.KeyUsage(True, False, False, False, False, True, True, False, False)
    of_key = x509.SubjectKeyIdentifier.from_public_key(key.public_key())
    by_key = x509.AuthorityKeyIdentifier.from_issuer_public_key(key.public_key())
    ca = signed(own, key.public_key(), (x509.BasicConstraints(True, None), True),
                (usage, True), (of_key, False))  # fmt: skip
    names = x509.SubjectAlternativeName([x509.IPAddress(ip_address("127.0.0.1"))])
    server = signed(x509.Name([]), server_key.public_key(), (names, True), (by_key, False))
    (folder / "server.pem").write_bytes(server)
    (folder / "server.key").write_bytes(
        server_key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    )
    tls = {"ssl_certfile": str(folder / "server.pem"), "ssl_keyfile": str(folder / "server.key")}
    return ca.decode(), tls
