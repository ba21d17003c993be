"""What a host lets a disk do, as its XML says."""

import pytest
from defusedxml.ElementTree import fromstring

from keelmark.feeds.hypervisor.facts import limit_of


@pytest.mark.parametrize(
    ("tune", "limit"),
    [
        ("", None),
        ("<iotune/>", None),
        ("<iotune><total_iops_sec>300</total_iops_sec></iotune>", 300),
        ("<iotune><total_iops_sec>0</total_iops_sec></iotune>", None),
        ("<iotune><total_iops_sec>many</total_iops_sec></iotune>", None),
        ("<iotune><total_iops_sec_max>600</total_iops_sec_max></iotune>", None),
        ("<iotune><read_iops_sec>200</read_iops_sec>"
         "<write_iops_sec>100</write_iops_sec></iotune>", 300),
        ("<iotune><read_iops_sec>200</read_iops_sec></iotune>", None),
    ],
)  # fmt: skip
def test_a_limit_holds_for_reads_and_writes_together(tune, limit):
    assert limit_of(fromstring(f"<disk>{tune}</disk>")) == limit
