"""What others may want to hear of: they know of feeds, and feeds know nothing of them."""

from typing import Final

from django.dispatch import Signal

change_ended: Final = Signal()  # a change at a far end, well or not: change_id
collected: Final = Signal()  # a run has written what it brought: run_id
