"""What forecasts refuse."""

from keelmark.access.errors import FieldFault, RefusalError


class MarksOutOfOrderError(RefusalError):
    """The caution mark would not lie below the limit mark."""

    title = "Marks out of order"
    kind = "marks-out-of-order"

    def __init__(self, *, caution_percent: int, limit_percent: int) -> None:
        self.caution_percent, self.limit_percent = caution_percent, limit_percent
        fault = FieldFault(
            pointer="#/caution_percent", code="too_high", detail=f"Use at most {limit_percent - 1}."
        )
        super().__init__(
            f"Caution mark {caution_percent} % is not below limit mark {limit_percent} %.",
            faults=(fault,),
        )
