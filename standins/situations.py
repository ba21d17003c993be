"""The Tern Coast Observatory Network: which pools it has and what happens to each."""

from dataclasses import dataclass, field

TIB = 1024**4
GIB = 1024**3


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolStory:
    """What one pool went through; shares are of usable, days count back from the anchor."""

    name: str
    usable_tib: float
    start_share: float  # used when the history begins
    growth_share_per_year: float = 0.05
    late_growth_share_per_day: float = 0.0  # on top, during the last `late_days`
    late_days: int = 0
    jumps: tuple[tuple[int, float], ...] = ()  # (days back, share) migrations, clean-ups
    batch_share: float = 0.0  # a step on the first of each month
    provisioned_share: float = 1.1
    thick_share: float = 0.25  # of the volumes
    n_volumes: int = 10
    leader_share: float = 0.0  # of the growth, that one volume has
    weekly_share: float = 0.0015
    noise_share: float = 0.0004
    gaps: float = 0.01
    odd_days_back: tuple[int, ...] = ()
    born_days_back: int = 400
    expanded: tuple[int, float] | None = None  # (days back, factor of usable before)
    n_unmapped: int = 0
    snapshot_share: float = 0.0  # of used, that snapshots hold today
    snapshot_growth: float = 0.5  # of that, in a year

    @property
    def service_class(self) -> str:
        """Pools are named for what they offer: swift-2 offers Swift."""
        return self.name.split("-")[0].capitalize()


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrayStory:
    """One array with its pools and the way it is reached."""

    name: str
    site: str
    pools: tuple[PoolStory, ...]
    location: str = "standalone"  # or "systems": the older place under a computer system
    history_ends_days_back: int = 1
    io_growth_share_per_year: float = 0.08
    is_busy: bool = False  # answers 503 from the start: its feed goes late
    n_spare_drives: int = 2
    extra: dict[str, str] = field(default_factory=dict)


def _calm(kind: str, numbers: range, *, tib: float, share: float, growth: float) -> list[PoolStory]:
    """Pools without a story; they differ a little so that no two look alike."""
    return [
        PoolStory(
            name=f"{kind}-{number}",
            usable_tib=tib * (1 + 0.13 * (number % 4)),
            start_share=share - 0.045 * (number % 5),
            growth_share_per_year=growth * (0.4 + 0.3 * (number % 3)),
            provisioned_share=1.02 + 0.09 * (number % 5),
            n_volumes=8 + number % 5,
        )
        for number in numbers
    ]


HERON_1 = ArrayStory(
    name="heron-1",
    site="Skerry",
    pools=(
        PoolStory(
            name="swift-1",
            usable_tib=64,
            start_share=0.47,
            growth_share_per_year=0.11,
            odd_days_back=(71,),
            provisioned_share=1.18,
        ),
        PoolStory(
            name="swift-2",
            usable_tib=82,
            start_share=0.536,
            growth_share_per_year=0.10,
            late_growth_share_per_day=0.0033,
            late_days=46,
            jumps=((49, 0.051),),
            odd_days_back=(71,),
            provisioned_share=1.31,
            leader_share=0.61,
            n_volumes=12,
        ),
        PoolStory(
            name="steady-1",
            usable_tib=240,
            start_share=0.425,
            growth_share_per_year=0.23,
            late_growth_share_per_day=0.0009,
            late_days=120,
            leader_share=0.4,
            n_volumes=18,
            snapshot_share=0.07,
            snapshot_growth=0.9,
        ),
        *_calm("steady", range(2, 7), tib=120, share=0.55, growth=0.06),
        *_calm("deep", range(1, 4), tib=300, share=0.52, growth=0.05),
    ),
)
HERON_2 = ArrayStory(
    name="heron-2",
    site="Skerry",
    location="systems",
    pools=(
        PoolStory(
            name="swift-1",
            usable_tib=58,
            start_share=0.52,
            growth_share_per_year=0.12,
            provisioned_share=2.35,
            n_volumes=14,
            thick_share=0.0,
        ),
        PoolStory(
            name="steady-1",
            usable_tib=160,
            start_share=0.44,
            growth_share_per_year=0.0,
            batch_share=0.021,
            leader_share=0.5,
        ),
        *_calm("swift", range(2, 5), tib=48, share=0.5, growth=0.09),
        *_calm("deep", range(1, 6), tib=260, share=0.5, growth=0.04),
    ),
)
AVOCET_1 = ArrayStory(
    name="avocet-1",
    site="Marram",
    pools=(
        PoolStory(
            name="swift-1",
            usable_tib=72,
            start_share=0.41,
            growth_share_per_year=0.12,
            n_unmapped=2,
        ),
        PoolStory(
            name="steady-3",
            usable_tib=190,
            start_share=0.49,
            growth_share_per_year=0.22,
            provisioned_share=1.24,
        ),
        *_calm("steady", range(4, 8), tib=150, share=0.5, growth=0.05),
        *_calm("deep", range(1, 5), tib=280, share=0.56, growth=0.03),
    ),
)
AVOCET_2 = ArrayStory(
    name="avocet-2",
    site="Marram",
    pools=(
        PoolStory(
            name="deep-1",
            usable_tib=410,
            start_share=0.919,
            growth_share_per_year=0.0,
            weekly_share=0.0003,
            noise_share=0.0001,
            provisioned_share=0.98,
            thick_share=0.6,
        ),
        PoolStory(
            name="deep-2",
            usable_tib=380,
            start_share=0.845,
            growth_share_per_year=0.001,
            weekly_share=0.0003,
            noise_share=0.0001,
            provisioned_share=0.99,
        ),
        PoolStory(
            name="swift-3",
            usable_tib=60,
            start_share=0.31,
            growth_share_per_year=0.4,
            born_days_back=20,
            n_volumes=6,
        ),
        *_calm("steady", range(1, 6), tib=140, share=0.54, growth=0.06),
        *_calm("swift", range(1, 3), tib=56, share=0.48, growth=0.08),
    ),
)
PLOVER_1 = ArrayStory(
    name="plover-1",
    site="Holmgate",
    io_growth_share_per_year=0.6,  # its I/O ends before its space
    pools=(
        PoolStory(
            name="deep-2",
            usable_tib=600,
            start_share=0.625,
            growth_share_per_year=0.16,
            jumps=((20, 0.052),),
            n_volumes=16,
            odd_days_back=(33, 150),
            n_unmapped=1,
        ),
        PoolStory(
            name="steady-1",
            usable_tib=130,
            start_share=0.62,
            growth_share_per_year=0.21,
            jumps=((45, -0.19),),
        ),
        PoolStory(
            name="steady-2",
            usable_tib=150,
            start_share=0.50,
            growth_share_per_year=0.24,
            expanded=(64, 0.6),
        ),
        *_calm("swift", range(1, 4), tib=52, share=0.46, growth=0.1),
        *_calm("deep", range(3, 7), tib=320, share=0.5, growth=0.04),
    ),
)
DUNLIN_1 = ArrayStory(
    name="dunlin-1",
    site="Holmgate",
    history_ends_days_back=4,
    is_busy=True,
    pools=(
        PoolStory(name="swift-1", usable_tib=44, start_share=0.55, growth_share_per_year=0.19),
        *_calm("steady", range(1, 4), tib=110, share=0.5, growth=0.07),
        *_calm("deep", range(1, 5), tib=240, share=0.5, growth=0.05),
    ),
)

DEMO = (HERON_1, HERON_2, AVOCET_1, AVOCET_2, PLOVER_1, DUNLIN_1)
# For tests: one array of three pools that differ in kind, and one busy one.
SMALL = (
    ArrayStory(name="heron-1", site="Skerry", pools=HERON_1.pools[:3]),
    ArrayStory(name="avocet-2", site="Marram", location="systems", pools=AVOCET_2.pools[:3]),
    ArrayStory(
        name="dunlin-1",
        site="Holmgate",
        pools=DUNLIN_1.pools[:1],
        history_ends_days_back=4,
        is_busy=True,
    ),
)
SIZES = {"small": SMALL, "demo": DEMO}
CONSUMERS = ("sat-archive", "seabed", "tide-gauge", "public-web", "shore-office")
