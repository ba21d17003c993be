"""Allotments over the API, for tests: given, drawn on, carried out and read."""

from keelmark.access.models import Membership, Role
from keelmark.access.services.people import ensure_person
from keelmark.core.units import GIB
from tests.server.conftest import Api, signed_in

NAME = "gauge-log"


def of_tenant(name, tenant_id, role=Role.TENANT_OPERATOR):
    person = ensure_person(name=name, password="spring-tide", role=role)
    Membership.objects.get(user=person).tenants.set([tenant_id])
    return Api(signed_in(person))


def allot(api, estate, *, n_bytes=100 * GIB, tenant="tides", **more):
    return api.send("POST", "/allotments", pool_id=estate["pool"], tenant_id=estate[tenant],
                    allotted_bytes=n_bytes, **more)  # fmt: skip


def allotted(api, estate, **more):
    told = allot(api, estate, **more)
    assert told.status_code == 201, told.content
    return told.json()


def draw(api, one, estate, *, size=30 * GIB, name=NAME, key="k1", **more):
    told = {"name": name, "size_bytes": size, "cluster_id": estate["kelp"], **more}
    return api.send("POST", f"/allotments/{one['id']}/volumes", key=key, **told)


def read(api, one):
    return api.get(f"/allotments/{one['id']}").json()


def books(api, name="steady-1"):
    return next(one for one in api.get("/pools").json()["results"] if one["name"] == name)
