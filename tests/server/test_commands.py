import subprocess
import sys

import pytest
from django.db import OperationalError
from django.test import Client

from keelmark.config.state import PROJECT
from keelmark.estate.documents import CompleteDocument, PoolDocument, decoder
from tests.conftest import PASSWORD, USER


def keel(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "keelmark.cli", *arguments],
        capture_output=True,
        cwd=PROJECT,
        check=False,
    )


def test_collect_prints_documents_without_a_database(standin, tmp_path):
    heron = standin()
    secret = tmp_path / "password"
    secret.write_text(PASSWORD + "\n")
    done = keel("collect", heron.url, "--user", USER, "--password-file", str(secret), "--json")
    assert done.returncode == 0, done.stderr
    documents = [decoder.decode(line) for line in done.stdout.splitlines()]
    assert sum(isinstance(d, PoolDocument) for d in documents) == 3
    assert isinstance(documents[-1], CompleteDocument)


def test_collect_says_what_is_wrong(standin):
    done = keel("collect", standin().url, "--user", "nobody")
    assert done.returncode == 2
    assert "refuses the sign-in" in done.stderr.decode()


@pytest.mark.parametrize("path", ["/api/v1/pools", "/api/v1/feeds"])
def test_a_database_that_is_away_is_told_with_when_to_try_again(api, monkeypatch, path):
    from keelmark.estate import selectors as estate
    from keelmark.feeds import selectors as feeds

    def away(*_arguments, **_facts):
        raise OperationalError("server closed the connection")

    monkeypatch.setattr(estate, "pools_for", away)
    monkeypatch.setattr(feeds, "feeds_for", away)
    answer = Client.get(api.client, path)
    assert answer.status_code == 503
    assert answer["Retry-After"]
    assert "Nothing is lost" in answer.json()["detail"]
