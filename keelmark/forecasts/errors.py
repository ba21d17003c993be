"""What forecasts refuse."""

from keelmark.access.errors import FieldFault, RefusalError


class MarksOutOfOrderError(RefusalError):
    """The caution mark would not lie below the limit mark."""

    title = "Marks out of order"
    kind = "marks-out-of-order"

    def __init__(self, *, field: str, caution_percent: int, limit_percent: int) -> None:
        self.field = field
        self.caution_percent, self.limit_percent = caution_percent, limit_percent
        fault = FieldFault(
            pointer=f"#/{field}", code="too_high", detail=f"Use at most {limit_percent - 1}."
        )
        super().__init__(
            f"Caution mark {caution_percent} % is not below limit mark {limit_percent} %.",
            faults=(fault,),
        )


class NoSuchLevelError(RefusalError):
    """Marks of a class or a site that a thing does not have."""

    title = "No such level"
    kind = "no-such-level"

    def __init__(self, *, level: str, kind: str, name: str) -> None:
        self.level, self.kind_of_thing, self.name = level, kind, name
        fault = FieldFault(pointer="#/level", code="missing", detail="Set its own marks.")
        super().__init__(f"{kind} {name} has no {level} to set marks of.", faults=(fault,))
