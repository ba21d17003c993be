"""Reads of one moment: what others write meanwhile is not seen, and nothing is written."""

from threading import Thread

import pytest
from django.db import InternalError, connection

from keelmark.access.snapshots import one_moment
from keelmark.compliance.models import Tier


def draw_up(name):
    def do():
        Tier.objects.create(name=name)
        connection.close()

    thread = Thread(target=do)
    thread.start()
    thread.join()


@pytest.mark.django_db(transaction=True)
def test_what_is_written_meanwhile_is_seen_afterwards():
    with one_moment():
        before = set(Tier.objects.values_list("name", flat=True))
        draw_up("Bore")
        assert set(Tier.objects.values_list("name", flat=True)) == before
        with pytest.raises(InternalError):
            Tier.objects.create(name="Eddy")
    assert set(Tier.objects.values_list("name", flat=True)) == before | {"Bore"}
