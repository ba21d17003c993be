"""What bearings refuse."""

from keelmark.access.errors import FieldFault, FormError


def wrong_column(name: str, *, kind: str, known: list[str]) -> FormError:
    """Return the refusal of a column that a kind has not."""
    told = f"A {kind} has no {name[:40]}: use {', '.join(known)}."
    fault = FieldFault(pointer="#/columns", code="unknown", detail=told)
    return FormError(told, faults=(fault,))
