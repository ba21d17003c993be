"""Changes at far ends: who may, once, on what was seen, read back, resumed, taken back."""

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person
from keelmark.bearings.packs.asking import BUILD
from keelmark.bearings.packs.building import build_revision
from keelmark.estate.models import Volume
from keelmark.feeds.changes.asking import CHANGE_TASK, queue_left
from keelmark.feeds.changes.carrying import carry_out
from keelmark.feeds.changes.reading import newest_changes, set_since, setters_of
from keelmark.feeds.models import Change, ChangeSet, ChangeState, Feed, Run
from keelmark.feeds.services import running
from keelmark.feeds.services.feeds import set_feed
from keelmark.feeds.services.running import carry_out as carry_out_run
from keelmark.feeds.services.schedule import queue_run
from tests.conftest import PASSWORD, USER, WRITER
from tests.server.conftest import NOW, Api, signed_in

WANTED = {"min_iops": 7, "max_iops": 77}


@pytest.fixture
def feed(collected, array, db):
    array.fault("none")
    flow = array.service.tree.ground.flow
    flow._wanted.clear()
    flow.demand.set_to.update(PLANTED.setdefault(array.url, dict(flow.demand.set_to)))
    return collected


PLANTED: dict[str, dict[str, tuple[int, int]]] = {}


@pytest.fixture
def volumes(feed):
    """Volumes that are set to something, and to what."""
    told = Volume.objects.filter(qos_max_iops__isnull=False).order_by("entity__name", "pk")
    return list(told.select_related("entity"))


def asking(volume, wanted=None, was=None):
    return {
        "entity_id": volume.pk,
        "was": was or {"min_iops": volume.qos_min_iops, "max_iops": volume.qos_max_iops},
        "wanted": wanted or WANTED,
    }


def ask(api, *changes, key="first", is_released=True, **told):
    return api.client.post(
        "/api/v1/change-sets",
        {"what": "limits", "changes": list(changes), "is_released": is_released, **told},
        content_type="application/json", headers={"Idempotency-Key": key},
    )  # fmt: skip


def asked(api, *changes, **told):
    answer = ask(api, *changes, **told)
    assert answer.status_code == 202, answer.content
    return answer.json()


def act(api, what, one, key="again"):
    return api.client.post(
        f"/api/v1/change-sets/{one['id']}/{what}", headers={"Idempotency-Key": key}
    )


def states(api, one):
    told = api.get(f"/change-sets/{one['id']}").json()
    return [each["state"] for each in told["changes"]]


def at_the_array(array, volume):
    ground = array.service.tree.ground
    return next(
        dict(zip(("min_iops", "max_iops"), ground.flow.limits_of(one), strict=True))
        for _, one in ground.volumes.values()
        if f"naa.{one.naa}" == volume.entity.uid
    )


def jobs():
    return ProcrastinateJob.objects.filter(task_name=CHANGE_TASK, status="todo").count()


def test_a_limit_is_set_read_back_and_told_in_the_audit(operator, array, feed, volumes):
    volume = volumes[0]
    before = {"min_iops": volume.qos_min_iops, "max_iops": volume.qos_max_iops}
    one = asked(operator, asking(volume), why="its disks moved")
    assert (one["released_by"], states(operator, one), jobs()) == ("deckhand", ["queued"], 1)
    assert carry_out(feed_id=feed.pk) == 1
    assert at_the_array(array, volume) == WANTED
    told = operator.get(f"/change-sets/{one['id']}").json()["changes"][0]
    assert (told["state"], told["was"], told["found"]) == ("set", before, WANTED)
    entry = AuditEntry.objects.get(action="set limits")
    assert (entry.actor_name, entry.subject_id, entry.before) == ("deckhand", volume.pk, before)
    assert entry.after["read_back"] == WANTED
    assert volume.pk in set_since("limits", since=NOW)
    # It is collected at once, so that everybody sees it.
    run = Run.objects.get(feed=feed, state="queued")
    assert carry_out_run(run_id=run.pk).state == "done"
    volume.refresh_from_db()
    assert (volume.qos_min_iops, volume.qos_max_iops) == (7, 77)
    assert AuditEntry.objects.filter(action="ask for changes").count() == 1


def test_what_was_set_is_kept_as_soon_as_it_is_collected(operator, feed, volumes):
    def n_asked_after_collecting():
        builds = ProcrastinateJob.objects.filter(task_name=BUILD, status="todo")
        builds.delete()
        assert carry_out_run(run_id=queue_run(feed).pk).state == "done"
        return builds.count()

    assert n_asked_after_collecting() == 0
    asked(operator, asking(volumes[0]))
    assert carry_out(feed_id=feed.pk) == 1
    assert n_asked_after_collecting() == 1
    build_revision(now=now())
    assert n_asked_after_collecting() == 0


def test_what_was_set_is_taken_back_if_it_still_is_so(operator, array, feed, volumes):
    volume, other = volumes[:2]
    before = at_the_array(array, volume)
    one = asked(operator, asking(volume), asking(other))
    assert act(operator, "take-back", one).status_code == 409  # nothing is set yet
    carry_out(feed_id=feed.pk)
    array.service.tree.ground.flow.demand.set_to[other.entity.uid.removeprefix("naa.")] = (1, 2)
    array.service.tree.ground.flow._wanted.clear()
    array.service.tree.ground.flow.demand.set_to[volume.entity.uid.removeprefix("naa.")] = (7, 77)
    back = act(operator, "take-back", one).json()
    assert back["takes_back_id"] == one["id"]
    assert operator.get(f"/change-sets/{one['id']}").json()["taken_back_by_id"] == back["id"]
    carry_out(feed_id=feed.pk)
    assert sorted(states(operator, back)) == ["failed", "set"]
    assert at_the_array(array, volume) == before
    assert at_the_array(array, other) == {"min_iops": 1, "max_iops": 2}


def test_the_same_key_brings_the_same_set_and_another_body_is_refused(operator, feed, volumes):
    one = asked(operator, asking(volumes[0]))
    assert asked(operator, asking(volumes[0]))["id"] == one["id"]
    assert ask(operator, asking(volumes[1])).status_code == 409
    assert (ChangeSet.objects.count(), Change.objects.count()) == (1, 1)
    assert ask(operator, asking(volumes[1]), key="").status_code == 400


def test_one_change_of_a_thing_is_under_way_at_a_time(operator, feed, volumes):
    asked(operator, asking(volumes[0]))
    answer = ask(operator, asking(volumes[1]), asking(volumes[0]), key="second")
    assert answer.status_code == 409
    assert volumes[0].entity.name in answer.json()["detail"]
    assert Change.objects.count() == 1  # all or none
    carry_out(feed_id=feed.pk)
    asked(operator, asking(volumes[0], wanted={"min_iops": 8, "max_iops": 88}, was=WANTED), key="3")


@pytest.mark.parametrize(
    ("wrong", "told"),
    [
        ({"wanted": {"min_iops": 9, "max_iops": 8}}, "between 0 and the most"),
        ({"wanted": {"min_iops": 0, "max_iops": 0}}, "between 1 and"),
        ({"wanted": {"min_iops": 0, "max_iops": 10**9}}, "between 1 and"),
        ({"wanted": {"max_iops": 8}}, "min_iops and max_iops"),
        ({"wanted": {"min_iops": 0, "max_iops": 8, "burst": 2}}, "min_iops and max_iops"),
        ({"was": {"max_iops": 5}}, "what it is set to now"),
        ({"was": WANTED}, "set so already"),
        ({"entity_id": 1}, "nothing that can be set"),
    ],
)  # fmt: skip
def test_what_cannot_be_set_is_refused_with_its_place_in_the_list(
    operator, feed, volumes, wrong, told
):
    answer = ask(operator, asking(volumes[1]), asking(volumes[0]) | wrong)
    assert answer.status_code == 422
    (fault,) = answer.json()["errors"]
    assert fault["pointer"] == "#/changes/1"
    assert told in fault["detail"]
    assert not ChangeSet.objects.exists()


def test_where_no_account_was_given_nothing_can_be_set(operator, planner, feed, volumes):
    assert setters_of([volumes[0].pk], what="limits") == {volumes[0].pk: feed.pk}
    set_feed(actor=planner, feed_id=feed.pk, writer_user="")
    answer = ask(operator, asking(volumes[0]))
    assert "no feed that tells of it" in answer.json()["errors"][0]["detail"]
    assert setters_of([volumes[0].pk], what="limits") == {}


def test_another_address_drops_the_account_that_may_set(planner, feed):
    set_feed(actor=planner, feed_id=feed.pk, addresses=["http://127.0.0.1:2"])
    told = Api(signed_in(planner)).get(f"/feeds/{feed.pk}").json()
    assert (told["has_writer_password"], told["writer_user"]) == (False, WRITER[0])
    assert AuditEntry.objects.get(action="set feed").after["has_lost_writer_password"] is True


@pytest.mark.parametrize("field", ["writer_user"])
def test_nothing_can_be_set_over_other_protocols(planner, feed, field):
    api = Api(signed_in(planner))
    answer = api.send("POST", "/feeds", name="desk", protocol="push", **{field: "somebody"})
    assert answer.json()["errors"][0]["pointer"] == f"#/{field}"


@pytest.mark.parametrize(
    ("fault", "told", "state", "is_done"),
    [
        ("locked", {}, "failed", False),
        ("heedless", {}, "otherwise", False),
        ("hangs-up", {"count": 1}, "set", True),
        ("busy", {"count": 2, "retry_after_seconds": 0}, "set", True),
        ("busy", {"retry_after_seconds": 0}, "failed", False),
        ("expired", {"count": 1}, "set", True),
        ("sparse", {}, "failed", False),
        ("restless", {}, "set", True),
    ],
)
def test_whatever_the_array_does_it_is_told_as_it_is(
    operator, array, feed, volumes, monkeypatch, fault, told, state, is_done
):
    monkeypatch.setattr("keelmark.feeds.redfish.setting.READ_AGAIN_SECONDS", (0.0, 0.01))
    before = at_the_array(array, volumes[0])
    one = asked(operator, asking(volumes[0]))
    array.fault(fault, **told)
    carry_out(feed_id=feed.pk)
    array.fault("none")
    change = Change.objects.get()
    assert change.state == state, change.problem
    assert at_the_array(array, volumes[0]) == (WANTED if is_done else before)
    assert bool(change.problem) == (state != "set")
    if state == "set":
        return
    assert AuditEntry.objects.filter(action="fail to set limits").exists()
    assert act(operator, "retry", one).status_code == 202
    carry_out(feed_id=feed.pk)
    assert states(operator, one) == ["set"]
    assert at_the_array(array, volumes[0]) == WANTED


def test_what_somebody_else_set_meanwhile_is_left_alone(operator, array, feed, volumes):
    stale = {"min_iops": 3, "max_iops": 33}
    before = at_the_array(array, volumes[0])
    one = asked(operator, asking(volumes[0], was=stale))
    carry_out(feed_id=feed.pk)
    told = operator.get(f"/change-sets/{one['id']}").json()["changes"][0]
    assert (told["state"], told["found"]) == ("failed", before)
    assert "somebody else set it" in told["problem"]
    assert at_the_array(array, volumes[0]) == before


def test_an_account_that_may_not_is_told_and_the_others_are_sent(
    operator, planner, array, feed, volumes
):
    set_feed(actor=planner, feed_id=feed.pk, writer_user=USER, writer_password=PASSWORD)
    one = asked(operator, asking(volumes[0]))
    carry_out(feed_id=feed.pk)
    assert "may read only" in Change.objects.get(change_set=one["id"]).problem


def test_an_array_that_does_not_answer_ends_all_that_wait_for_it(operator, planner, feed, volumes):
    one = asked(operator, *(asking(volume) for volume in volumes[:3]))
    Feed.objects.filter(pk=feed.pk).update(addresses=["http://127.0.0.1:1"])
    carry_out(feed_id=feed.pk)
    assert states(operator, one) == ["failed"] * 3
    problems = list(Change.objects.order_by("pk").values_list("problem", flat=True))
    assert problems[0].startswith("No answer")
    assert all(problem.startswith("Not sent: No answer") for problem in problems[1:])
    assert set(Change.objects.values_list("n_tries", flat=True)) == {0, 1}
    assert AuditEntry.objects.filter(action="fail to set limits").count() == 3


def test_what_a_dead_worker_left_is_taken_up_and_sent_once(operator, array, feed, volumes):
    """It died after the array had done the first and before that was kept."""
    one = asked(operator, *(asking(volume) for volume in volumes[:3]))
    first = Change.objects.order_by("pk").first()
    Change.objects.filter(pk=first.pk).update(state=ChangeState.SENDING, n_tries=1)
    ground = array.service.tree.ground
    naa = volumes[0].entity.uid.removeprefix("naa.")
    volume = next(one for _, one in ground.volumes.values() if one.naa == naa)
    ground.flow.set_volume(volume, limits=(7, 77))
    ProcrastinateJob.objects.all().delete()
    queue_left()
    queue_left()
    assert jobs() == 1
    sent = []
    patched = type(array.service)._refusal_to_set

    def watching(self, request, *, path):
        sent.append(path)
        return patched(self, request, path=path)

    type(array.service)._refusal_to_set = watching
    try:
        carry_out(feed_id=feed.pk)
    finally:
        type(array.service)._refusal_to_set = patched
    assert states(operator, one) == ["set"] * 3
    assert len(sent) == 2  # the first was found done
    assert queue_left() is None
    assert newest_changes([volumes[0].pk], what="limits")[volumes[0].pk].state == "set"


def test_what_reads_back_otherwise_is_tried_again_from_there(operator, array, feed, volumes):
    """The array took it and made something else of it."""
    one = asked(operator, asking(volumes[0]))
    other = {"min_iops": 7, "max_iops": 70}
    Change.objects.update(state=ChangeState.OTHERWISE, found=other)
    ground = array.service.tree.ground
    naa = volumes[0].entity.uid.removeprefix("naa.")
    volume = next(each for _, each in ground.volumes.values() if each.naa == naa)
    ground.flow.set_volume(volume, limits=(7, 70))
    assert act(operator, "retry", one).status_code == 202
    carry_out(feed_id=feed.pk)
    change = Change.objects.get()
    assert (change.state, change.was, change.found) == ("set", other, WANTED)


def test_changes_of_a_feed_that_was_dropped_are_ended(operator, feed, volumes):
    one = asked(operator, asking(volumes[0]))
    Change.objects.update(feed=None)
    queue_left()
    assert states(operator, one) == ["failed"]
    assert Change.objects.get().problem == "Not sent: its feed was dropped."


def test_planners_plan_and_an_operator_lets_it_go(operator, planner, array, feed, volumes):
    api = Api(signed_in(planner))
    assert ask(api, asking(volumes[0])).status_code == 403
    one = asked(api, asking(volumes[0]), is_released=False)
    carry_out(feed_id=feed.pk)
    assert (states(api, one), jobs()) == (["planned"], 0)
    assert act(api, "release", one).status_code == 403
    let_go = act(operator, "release", one).json()
    assert (let_go["actor_name"], let_go["released_by"]) == ("planner", "deckhand")
    assert act(operator, "release", one).status_code == 409
    carry_out(feed_id=feed.pk)
    assert at_the_array(array, volumes[0]) == WANTED


def test_what_was_not_sent_yet_can_be_dropped(operator, array, feed, volumes):
    before = at_the_array(array, volumes[0])
    one = asked(operator, asking(volumes[0]))
    assert act(operator, "drop", one).status_code == 200
    carry_out(feed_id=feed.pk)
    assert (states(operator, one), at_the_array(array, volumes[0])) == (["dropped"], before)
    assert act(operator, "drop", one).status_code == 409
    assert act(operator, "retry", one).status_code == 409


def test_tenants_see_no_changes(operator, feed, volumes):
    asked(operator, asking(volumes[0]))
    viewer = ensure_person(name="viewer", password="spring-tide", role=Role.TENANT_VIEWER)
    assert Api(signed_in(viewer)).get("/change-sets").status_code == 403
    assert len(operator.get("/change-sets").json()["results"]) == 1


def test_what_is_set_while_it_is_being_collected_is_looked_at_once_more(
    operator, array, feed, volumes, monkeypatch
):
    asked(operator, asking(volumes[0]))
    run = queue_run(feed)

    def set_meanwhile(*_, **__):
        assert carry_out(feed_id=feed.pk) == 1
        return real(*_, **__)

    real = running._import
    with monkeypatch.context() as patched:
        patched.setattr(running, "_import", set_meanwhile)
        assert carry_out_run(run_id=run.pk).state == "done"
    again = Run.objects.get(feed=feed, state="queued")
    assert carry_out_run(run_id=again.pk).state == "done"
    volumes[0].refresh_from_db()
    assert volumes[0].qos_max_iops == WANTED["max_iops"]
    assert not Run.objects.filter(feed=feed, state="queued").exists()
