"""What is told before its thing: kept, taken up when the thing comes, and holding back nobody."""

import pytest

from keelmark.estate.documents import AboutDocument, EventDocument
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Event, VirtualDisk, VirtualMachine
from keelmark.feeds import importer
from keelmark.feeds.models import Waiting
from keelmark.feeds.services.running import tend_waiting
from tests.server.conftest import NOW
from tests.server.test_joining import CLUSTER, disk, host, store, vm


def test_what_comes_before_its_thing_waits_and_is_taken_up_once(tell):
    early = (
        AboutDocument(uid="uuid.vm1", read_at=NOW, says={"policy": "mirrored"}),
        disk(),
        EventDocument(uid="id.e1", of_uid="uuid.vm1", at=NOW, what="created", by="m.terne"),
    )
    for _ in range(2):
        tell("records", *early, may_wait=True)
    assert Waiting.objects.count() == 3
    tell("hosts", CLUSTER, host(), store(), vm())
    assert not Waiting.objects.exists()
    assert VirtualMachine.objects.get().policy == "mirrored"
    assert VirtualDisk.objects.count() == 1
    assert Event.objects.get(by="m.terne").of.uid == "uuid.vm1"


def test_what_was_set_aside_while_its_thing_came_is_not_overlooked(tell):
    tell("records", AboutDocument(uid="uuid.vm1", read_at=NOW, says={"policy": "mirrored"}),
         AboutDocument(uid="uuid.never", read_at=NOW, says={"policy": "mirrored"}),
         may_wait=True)  # fmt: skip
    unseen = list(Waiting.objects.all())  # as by who brings the thing at the same moment
    Waiting.objects.all().delete()
    tell("hosts", CLUSTER, host(), store(), vm())
    Waiting.objects.bulk_create(unseen)
    assert VirtualMachine.objects.get().policy == ""
    tend_waiting()
    assert VirtualMachine.objects.get().policy == "mirrored"
    assert Waiting.objects.get().wanted_uid == "uuid.never"


def test_a_line_that_is_refused_when_its_thing_comes_holds_back_nobody(tell):
    about = [AboutDocument(uid="uuid.vm1", read_at=NOW, says=says)
             for says in ({"colour": "blue"}, {"policy": "mirrored"})]  # fmt: skip
    tell("records", *about, disk(), may_wait=True)
    tell("hosts", CLUSTER, host(), store(), vm())
    assert VirtualMachine.objects.get().policy == "mirrored"
    assert VirtualDisk.objects.count() == 1
    tend_waiting()
    assert "colour" in Waiting.objects.get().line


def test_without_leave_to_wait_it_is_refused(tell):
    with pytest.raises(UnknownParentError):
        tell("records", disk())


def test_what_goes_wrong_in_taking_up_undoes_no_delivery(tell, monkeypatch):
    tell("records", AboutDocument(uid="uuid.vm1", read_at=NOW, says={"policy": "mirrored"}),
         may_wait=True)  # fmt: skip
    into = importer.Imported()
    importer.write_documents([CLUSTER, host(), store(), vm()], into=into)
    with monkeypatch.context() as broken:
        broken.setattr(importer, "take_up", lambda _: 1 / 0)
        importer.take_up_after(into)
    assert VirtualMachine.objects.get().policy == ""
    tend_waiting()
    assert VirtualMachine.objects.get().policy == "mirrored"
