"""What the service answers where it will not, and what bodies sent to it say."""

import json

from starlette.responses import JSONResponse, Response

from standins.limits import Limits
from standins.redfish.shapes import MAKER, SETTABLE

MOST_IOPS = 1_000_000  # that a volume can be set to


def is_of_the_volume(body: bytes) -> bool:
    """Whether a body changes the volume itself, not what its maker lets be set besides."""
    try:
        told = json.loads(body)
    except ValueError:
        return False
    return isinstance(told, dict) and bool(told) and "Oem" not in told


def limits_in(body: bytes) -> tuple[Limits | None, Response]:
    """Return the limits that a body sets, or None and why it cannot be taken."""
    try:
        told = json.loads(body)
    except ValueError:
        return None, error_of(400, code="MalformedJSON", text="The request body is not JSON.")
    part = (told.get("Oem") or {}).get(MAKER) if isinstance(told, dict) else None
    if not isinstance(part, dict) or set(told) != {"Oem"} or set(part) != set(SETTABLE):
        text = f"Of a volume {' and '.join(SETTABLE)} can be set, together."
        return None, error_of(400, code="PropertyNotWritable", text=text)
    least, most = (part[name] for name in SETTABLE)
    is_whole = all(isinstance(one, int) and not isinstance(one, bool) for one in (least, most))
    if not is_whole or not 0 <= least <= most <= MOST_IOPS or most == 0:
        text = f"{SETTABLE[0]} is between 0 and {SETTABLE[1]}, that at most {MOST_IOPS}."
        return None, error_of(400, code="PropertyValueOutOfRange", text=text)
    return (least, most), Response()


def missing(path: str) -> Response:
    """Answer that there is nothing at a path."""
    return error_of(404, code="ResourceMissingAtURI", text=f"There is no resource at {path}.")


def error_of(status: int, *, code: str, text: str) -> Response:
    """Answer with an error of the published schema."""
    message_id = f"Base.1.19.{code}"
    return JSONResponse(
        {
            "error": {
                "code": message_id,
                "message": text,
                "@Message.ExtendedInfo": [
                    {
                        "@odata.type": "#Message.v1_3_0.Message",
                        "MessageId": message_id,
                        "Message": text,
                        "Severity": "Critical",
                    }
                ],
            }
        },
        status_code=status,
    )
