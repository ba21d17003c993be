"""Tables for the pure TypeScript, run where it runs: in the browser."""

import base64
import subprocess
from typing import Any

import pytest
from playwright.sync_api import Page

from keelmark.config.state import PROJECT

# Each module is built as the front end is, runes and all, without its frame.
BUILD = """
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { build } from 'vite';
const names = process.argv.slice(1);
const entry = names.map((name, at) => `export * as m${at} from '$lib/${name}';`).join('\\n');
const own = {
  name: 'own',
  resolveId: (id) =>
    id.endsWith('/own') || id === 'own' ? '\\0own' : id === '$app/environment' ? '\\0$app' : null,
  load: (id) =>
    id === '\\0own' ? entry : id.startsWith('\\0$app') ? 'export const browser = false;' : null,
};
const [made] = await build({
  configFile: false, logLevel: 'silent', plugins: [own, svelte({ configFile: false })],
  resolve: { alias: { $lib: `${process.cwd()}/src/lib` } },
  build: { write: false, minify: false, lib: { entry: 'own', formats: ['es'], fileName: 'own' } },
});
process.stdout.write(made.output[0].code);
"""
MODULES = (
    "format/bytes",
    "format/clock.svelte",
    "format/dates",
    "format/kinds",
    "format/limits",
    "format/numbers",
    "url/sift",
    "ui/runway-scale",
    "features/feeds/kinds",
    "features/feeds/sheet",
    "features/feeds/findings",
)


@pytest.fixture(scope="session")
def modules() -> dict[str, str]:
    done = subprocess.run(
        ["node", "--input-type=module", "-e", BUILD, *MODULES],
        cwd=PROJECT / "web", capture_output=True, check=True,
    )  # fmt: skip
    address = "data:text/javascript;base64," + base64.b64encode(done.stdout).decode()
    return {name: f"{address}#m{at}" for at, name in enumerate(MODULES)}


def call(page: Page, module: str, expression: str) -> Any:
    address, _, name = module.partition("#")
    return page.evaluate(f"import('{address}').then(({{ {name}: m, m1: clock }}) => {expression})")


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("m.formatBytes(null, {system: 'iec'})", "–"),
        ("m.formatBytes(0, {system: 'iec'})", "0 B"),
        ("m.formatBytes(79495440662528, {system: 'iec'})", "72.3 TiB"),
        ("m.formatBytes(79495440662528, {system: 'si'})", "79.5 TB"),
        ("m.formatBytes(-2048, {system: 'iec'})", "−2.00 KiB"),
        ("m.formatBytes(2048, {system: 'iec', isSigned: true})", "+2.00 KiB"),
        ("m.exactBytes(1234567)", "1\u202f234\u202f567 B"),
        ("m.parseBytes('1.5 TiB')", 1_649_267_441_664),
        ("m.parseBytes('20gb')", 20_000_000_000),
        ("m.parseBytes('4096')", 4096),
        ("m.parseBytes('many')", None),
    ],
)
def test_bytes(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["format/bytes"], expression) == wanted


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("m.daysUntil('2026-12-12', '2026-11-23')", 19),
        ("m.daysUntil('2026-11-20', '2026-11-23')", -3),
        ("m.addDays('2026-12-30', 3)", "2027-01-02"),
        ("m.formatDay(null)", "–"),
        (
            "m.formatRunway({early_on: '2026-12-04', likely_on: '2026-12-12', "
            "late_on: null}, '2026-11-23')",
            "19 d (11–)",
        ),
        (
            "m.formatRunway({early_on: null, likely_on: null, late_on: null}, '2026-11-23')",
            "beyond 2 y",
        ),
        ("m.formatSeconds(59)", "59 s"),
        ("m.formatSeconds(7200)", "2 h"),
        ("m.formatAge(null)", "never"),
    ],
)
def test_dates(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["format/dates"], expression) == wanted


@pytest.mark.parametrize(
    ("sift", "then", "wanted"),
    [
        ("site:Skerry", "terms", "site:Skerry"),
        ('-class:"Very Deep" heron', "terms", '-class:"Very Deep" heron'),
        ("a:b", "m.toggled(terms, {key: 'a', text: 'b', isExcluding: false})", ""),
        ("a:b", "m.toggled(terms, {key: 'a', text: 'b', isExcluding: true})", "-a:b"),
        ("a:b", "m.toggled(terms, {key: 'a', text: 'c', isExcluding: false})", "a:b a:c"),
    ],
)
def test_sift(page: Page, modules: dict[str, str], sift: str, then: str, wanted: str):
    told = f"(() => {{ const terms = m.termsOf({sift!r}); return m.siftOf({then}); }})()"
    assert call(page, modules["url/sift"], told) == wanted


def test_runway_scale_rises_from_now_to_two_years(page: Page, modules: dict[str, str]):
    at = call(page, modules["ui/runway-scale"], "[-5, 0, 7, 30, 365, 730, 9999].map(m.x)")
    assert at[0] == at[1] == 0
    assert at[1:6] == sorted(at[1:6])
    assert at[5] == at[6] == 320


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("m.inColumns({array: 1, port: 8, shelf: 2}).slice(0, 2)", [1, None]),
        ("m.inColumns({array: 1, port: 8, shelf: 2}).at(-1)", 10),
        ("m.othersOf({array: 1, port: 8, shelf: 1})", "8 ports, 1 shelf"),
    ],
)
def test_kinds(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["features/feeds/kinds"], expression) == wanted


MAPPING = "{kind: 'pool', columns: {used_bytes: {column: 'Used', unit: 'GiB'}}}"


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        (f"m.fieldOf({MAPPING}, 'Used')", "used_bytes"),
        (f"m.fieldOf({MAPPING}, 'Size')", ""),
        (
            f"m.withField({MAPPING}, 'Size', 'used_bytes').columns",
            {"used_bytes": {"column": "Size", "unit": "B"}},
        ),
        (
            f"m.withField({MAPPING}, 'Used', 'usable_bytes').columns",
            {"usable_bytes": {"column": "Used", "unit": "GiB"}},
        ),
        (f"m.withField({MAPPING}, 'Used', '').columns", {}),
        (f"m.withUnit({MAPPING}, 'used_bytes', 'TB').columns.used_bytes.unit", "TB"),
        (
            f"m.missingIn({MAPPING}, [{{name: 'used_bytes', is_required: true}}, "
            "{name: 'usable_bytes', is_required: true}, {name: 'os', is_required: false}])",
            ["usable"],
        ),
    ],
)
def test_mapping_of_columns(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["features/feeds/sheet"], expression) == wanted


FOUND = (
    "[{kind: 'two-names', why: 'w', detail: '=1+1', site_name: null, found_at: 't', "
    "entity: {kind: 'volume', name: 'a,\"b', uid: 'naa.1'}}, "
    "{kind: 'mirror-side-lost', why: 'v', detail: 'd', site_name: 'Skerry', found_at: 't', "
    "entity: {kind: 'pool', name: 'p', uid: 'id.p'}}]"
)


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        (f"m.groupsOf({FOUND}).map((g) => g.kind)", ["mirror-side-lost", "two-names"]),
    ],
)
def test_findings(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["features/feeds/findings"], expression) == wanted


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("m.counted('vm', 1)", "1 VM"),
        ("m.counted('shelf', 3)", "3 shelves"),
        ("m.counted('document', 1)", "1 document"),
        ("m.counted('reading', 12345)", "12\u202f345 readings"),
        ("m.aKind('array')", "an array"),
        ("m.aKind('vm')", "a VM"),
    ],
)
def test_counted_kinds(page: Page, modules: dict[str, str], expression: str, wanted: object):
    assert call(page, modules["format/kinds"], expression) == wanted


LIMIT = "{{attention: '{}', amount: {}, limit_amount: {}, limit: {{early_on: {}, likely_on: {}}}}}"


@pytest.mark.parametrize(
    ("facts", "wanted"),
    [
        (("over", 95, 90, "'2026-11-01'", "'2026-11-01'"), ["past limit", "106 % of its limit"]),
        (("caution", 45, 90, "'2027-01-01'", "null"), ["beyond 2 y", "50 % of its limit"]),
        (("clear", 0, 90, "null", "null"), ["no end in 2 y", "0 % of its limit"]),
        (("unread", "null", 90, "null", "null"), ["no end in 2 y", ""]),
        (("clear", 5, 0, "null", "null"), ["no end in 2 y", ""]),
    ],
)
def test_limits(page: Page, modules: dict[str, str], facts: tuple[object, ...], wanted: list[str]):
    limit = LIMIT.format(*facts)
    told = call(page, modules["format/limits"], f"[m.limitDate({limit}), m.limitShare({limit})]")
    assert told == wanted


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("m.formatPercent(120)", "120 %"),
        ("m.formatPercent(0.24)", "0.2 %"),
        ("m.formatPercent(12345)", "12\u202f345 %"),
        ("m.formatPercent(-5.5)", "−5.5 %"),
        ("m.formatPercent(null)", "–"),
        ("m.formatCount(10313)", "10\u202f313"),
        ("m.formatCount(999)", "999"),
    ],
)
def test_numbers(page: Page, modules: dict[str, str], expression: str, wanted: str):
    assert call(page, modules["format/numbers"], expression) == wanted


LATE_IN_UTC = "new Date('2026-11-25T20:30:00Z')"  # the next morning in Auckland


@pytest.mark.parametrize(
    ("zone", "today", "until", "at"),
    [
        ("UTC", "2026-11-25", 2, "20:30"),
        ("Pacific/Auckland", "2026-11-26", 1, "09:30"),
        ("America/Los_Angeles", "2026-11-25", 2, "12:30"),
    ],
)
def test_days_and_times_are_those_of_one_clock(
    page: Page, modules: dict[str, str], zone: str, today: str, until: int, at: str
):
    told = call(
        page,
        modules["format/dates"],
        f"(() => {{ clock.clock.zone = '{zone}'; const now = {LATE_IN_UTC}; const day = "
        "m.todayIso(now); return [day, m.daysUntil('2026-11-27', day), "
        "clock.clock.timeOf(now), m.formatDay(now.toISOString())]; })()",
    )
    weekday = "Thu 26 Nov" if today.endswith("26") else "Wed 25 Nov"
    assert told == [today, until, at, weekday]
