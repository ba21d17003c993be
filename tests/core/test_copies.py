"""What would be left if something failed."""

import numpy as np
import pytest

from keelmark.core.estate.copies import copied_elsewhere
from keelmark.core.estate.reading import read
from tests.core.estates import TODAY, make_estate


@pytest.mark.parametrize(
    ("failing", "kept", "oldest"),
    [
        ([True, True, False, False], [True, False, False], TODAY - 2),
        ([True, True, True, False], [False, False, False], None),
        ([False, True, False, False], [True, False, False], None),
        ([False] * 4, [True, True, False], None),
    ],
    ids=["one-has-a-copy", "the-copy-fails-too", "another", "nothing-fails"],
)
def test_a_disk_is_kept_where_every_volume_under_it_has_a_copy(failing, kept, oldest):
    estate = make_estate(
        volume=[{"id": 1, "copied": TODAY - 2}, {"id": 2}, {"id": 3}, {"id": 4}],
        datastore=[{"id": 5}, {"id": 6}],
        disk=[{"id": 7, "datastore": 5}, {"id": 8, "datastore": 6}, {"id": 9}],
        pairs={"extents": [(5, 1), (6, 1), (6, 2)], "replicas": [(1, 3)]},
    )
    found, day = copied_elsewhere(read(estate, day=TODAY), failing=np.array(failing))
    assert found.tolist() == kept
    assert day == oldest
