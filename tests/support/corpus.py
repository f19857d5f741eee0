"""Files that nobody should have to read, made from a seed: fuzzed and hand-made, of every format that is
read."""

import io
import json
import random
import zipfile
from collections.abc import Callable, Iterator
from datetime import datetime
from functools import cache

import pyarrow as pa
import xlsxwriter
from pyarrow import parquet

Made = tuple[str, bytes]
WORDS = ["yes", "no", "1", "2,5", "", " ", '"', "'", "=1+1", "@x", "é", "漢字", "🛳" * 3, "\u2028", "\x00", "\x1b[0m", "nan", "1e400", "-0",
         "9" * 60, "0x1F", "2026-03-01", "31/12/99", "a;b", "a\tb", "a,b", "\r", "row", "\ufeff", "x" * 500]  # fmt: skip


def _xlsx(rows: list[list[object]]) -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False})
    sheet = book.add_worksheet()
    for r, row in enumerate(rows):
        for c, cell in enumerate(row):
            sheet.write(r, c, cell)
    book.close()
    return out.getvalue()


def _zip(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return out.getvalue()


def _again(content: bytes, **changed: bytes) -> bytes:
    """A spreadsheet with some of its parts replaced, by the end of their names."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    for end, new in changed.items():
        for name in parts:
            if name.replace("/", "_").replace(".", "_").endswith(end):
                parts[name] = new
    return _zip(parts)


_SHEET = b'<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>%s</sheetData></worksheet>'
BOOK = _xlsx([["id", "q"], [1, "yes"], [2, "no"]])
_ODS = (
    '<?xml version="1.0"?><office:document-content office:version="1.2" '
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>{}'
    "</office:spreadsheet></office:body></office:document-content>"
)


def _ods(table: str) -> bytes:
    return _zip(
        {
            "mimetype": b"application/vnd.oasis.opendocument.spreadsheet",
            "content.xml": _ODS.format(table).encode(),
        }
    )


def _parquet(table: pa.Table) -> bytes:
    out = io.BytesIO()
    parquet.write_table(table, out)
    return out.getvalue()


def _tall() -> bytes:
    """A Parquet of many rows that are all alike: a few hundred bytes that are gigabytes in memory."""
    out = io.BytesIO()
    schema = pa.schema([("a", pa.int64())])
    with parquet.ParquetWriter(out, schema, compression="zstd", use_dictionary=True) as writer:
        for _ in range(21):
            writer.write_table(
                pa.table({"a": pa.array([7]).take(pa.array([0] * 5_000_000))}, schema=schema),
                row_group_size=5_000_000,
            )
    return out.getvalue()


def hand_made() -> Iterator[Made]:
    """What was thought of."""
    head = b"id,q,age\n1,yes,20\n2,no,35\n"
    yield "empty.csv", b""
    yield "blank.csv", b"\n\n  \n"
    yield "commas.csv", b",,,\n,,,\n"
    yield (
        "open.csv",
        b"id,q\n"
        + b"".join(b"%d,yes\n" % k for k in range(500))
        + b'501,"oh\n'
        + b"".join(b"%d,no\n" % k for k in range(500)),
    )
    yield "open-head.csv", b'id,"q\n1,yes\n2,no\n'
    yield "closed.csv", b'id,q\n1,"yes, and\nmore"\n2,"said ""no"""\n'
    yield "long-field.csv", b"id,q\n1," + b"x" * 300_000 + b"\n2,no\n"
    yield "long-head.csv", b'id,"' + b"[" * 130_000 + b'"\n1,yes\n'
    yield "long-spaces.csv", b"id,q" + b" " * 130_000 + b"!\n1,yes\n"
    yield "utf16.csv", head.decode().encode("utf-16")
    yield "utf32.csv", head.decode().encode("utf-32")
    yield "nul.csv", head + b"3,\x00,4\n"
    yield "late-nul.csv", head + b"3,a,4\n" * 20_000 + b"4,\x00,1\n"
    yield "bom-only.csv", b"\xef\xbb\xbf"
    yield "ragged.csv", head + b"3,a\n4,b,5,6\n"
    yield (
        "wide.csv",
        b",".join(b"c%d" % k for k in range(5000)) + b"\n" + b",".join(b"1" for _ in range(5000)) + b"\n",
    )
    yield "row.csv", b"row,q\n9,yes\n8,no\n"
    yield "huge.csv", b"id,x\n1,1e400\n2,-1e999\n3,1e-400\n4,5\n"
    yield "cr.csv", b"id,q\r1,yes\r2,no\r"
    yield "many-quotes.csv", b"id,q\n" + b'1,a"b"c"d\n' * 2000
    yield (
        "corner.xlsx",
        _again(
            BOOK,
            worksheets_sheet1_xml=_SHEET
            % b'<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row>',
        ),
    )
    yield (
        "tall.xlsx",
        _again(
            BOOK,
            worksheets_sheet1_xml=_SHEET
            % b'<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="ZZ1048576"><v>1</v></c></row>',
        ),
    )
    yield "broken-sheet.xlsx", _again(BOOK, worksheets_sheet1_xml=b"<worksheet><sheetData><row><c r='")
    yield (
        "odd-reference.xlsx",
        _again(
            BOOK, worksheets_sheet1_xml=_SHEET % b'<row r="1"><c r="ZZZZZZ99999999999"><v>1</v></c></row>'
        ),
    )
    yield (
        "bad-shared.xlsx",
        _again(BOOK, worksheets_sheet1_xml=_SHEET % b'<row r="1"><c r="A1" t="s"><v>99999</v></c></row>'),
    )
    yield (
        "entities.xlsx",
        _again(
            BOOK,
            worksheets_sheet1_xml=b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]>'
            + _SHEET % b'<row r="1"><c r="A1" t="inlineStr"><is><t>&b;</t></is></c></row>',
        ),
    )
    yield "bomb.xlsx", _again(BOOK, worksheets_sheet1_xml=_SHEET % (b" " * 300_000_000))
    yield "no-sheet.xlsx", _zip({"[Content_Types].xml": b"<Types/>"})
    yield "not-a-book.xlsx", _zip({"a.txt": b"hello"})
    yield "cut.xlsx", BOOK[: len(BOOK) // 2]
    yield "old.xls", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\x00" * 600
    yield (
        "repeated.ods",
        _ods(
            '<table:table table:name="A"><table:table-row table:number-rows-repeated="1048576"><table:table-cell table:number-columns-repeated="16384" office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table>'
        ),
    )
    yield "empty.ods", _ods('<table:table table:name="A"></table:table>')
    yield "none.ods", _ods("")
    yield "tall.parquet", _tall()
    yield "cut.parquet", _parquet(pa.table({"a": [1, 2]}))[:-10]
    yield "nested.parquet", _parquet(pa.table({"a": [[1], [2]]}))
    yield (
        "nanoseconds.parquet",
        _parquet(pa.table({"t": pa.array([1, 2_000_000_001], pa.timestamp("ns")), "a": [1, 2]})),
    )
    yield (
        "far.parquet",
        _parquet(
            pa.table(
                {
                    "t": pa.array([2**62 // 1000, 0], pa.timestamp("ms")),
                    "d": pa.array([3_000_000, 1], pa.date32()),
                }
            )
        ),
    )
    yield (
        "bad-utf8.parquet",
        _parquet(
            pa.table(
                {
                    "t": pa.array([b"\xff\xfe", b"a"], pa.binary())
                    .view(pa.binary())
                    .cast(pa.string(), safe=False)
                }
            )
            if False
            else pa.table(
                {
                    "t": pa.Array.from_buffers(
                        pa.string(),
                        2,
                        [None, pa.array([0, 2, 3], pa.int32()).buffers()[1], pa.py_buffer(b"\xff\xfea")],
                    )
                }
            )
        ),
    )
    yield (
        "decimals.parquet",
        _parquet(
            pa.table(
                {
                    "d": pa.array([1, 2]).cast(pa.decimal128(22, 3)),
                    "n": pa.nulls(2),
                    "b": pa.array([b"x", b"\xff"]),
                }
            )
        ),
    )
    yield "no-columns.parquet", _parquet(pa.table({}))
    yield "digits.jsonl", b'{"a": ' + b"9" * 5000 + b"}\n"
    yield "deep.jsonl", b'{"a": ' * 3000 + b"1" + b"}" * 3000 + b"\n"
    yield "surrogate.jsonl", b'{"a": "\\ud800", "b": 1}\n{"a": "x", "b": 2}\n'
    yield "separator.jsonl", '{"a": "one\u2028two"}\n{"a": "x\u0085y"}\n'.encode()
    yield "nan.jsonl", b'{"a": NaN, "b": Infinity}\n{"a": 1, "b": -Infinity}\n'
    yield "empty-name.jsonl", b'{"": 1, " ": 2}\n{"": 3}\n'
    yield (
        "many-keys.jsonl",
        b"".join(json.dumps({f"k{j}": j for j in range(k, k + 20)}).encode() + b"\n" for k in range(300)),
    )
    yield "list.jsonl", b"[1, 2]\n"
    yield "utf16.jsonl", '{"a": 1}\n'.encode("utf-16")
    yield "same-names.csv", b"q,q,q\n1,2,3\n4,5,6\n"


@cache
def by_name() -> dict[str, bytes]:
    """The hand-made files."""
    return dict(hand_made())


def _cell(rng: random.Random) -> str:
    return (
        rng.choice(WORDS)
        if rng.random() < 0.6
        else "".join(
            chr(rng.choice([rng.randint(32, 126), rng.randint(0, 0x2FFF)])) for _ in range(rng.randint(0, 12))
        )
    )


def _table(rng: random.Random) -> list[list[str]]:
    columns = rng.randint(1, 6)
    return [
        [_cell(rng) for _ in range(columns if rng.random() < 0.95 else rng.randint(0, 8))]
        for _ in range(rng.randint(1, 12))
    ]


def _csv(rng: random.Random) -> Made:
    delimiter = rng.choice(",;\t|")

    def quote(cell: str) -> str:
        return '"' + cell.replace('"', '""') + '"' if rng.random() < 0.4 else cell

    text = rng.choice(["\n", "\r\n", "\r"]).join(delimiter.join(map(quote, row)) for row in _table(rng))
    return "t.csv", text.encode(
        rng.choice(["utf-8", "utf-8-sig", "utf-16", "cp1252", "latin-1", "utf-32"]), "replace"
    )


def _sheet(rng: random.Random) -> Made:
    clean = [
        [cell.replace("\x00", "").encode("utf-8", "replace").decode() for cell in row] for row in _table(rng)
    ]
    return "t.xlsx", _xlsx(
        [
            [rng.choice([cell, rng.random() * 10 ** rng.randint(-5, 300), rng.randint(0, 9)]) for cell in row]
            for row in clean
        ]
    )


def _lines(rng: random.Random) -> Made:
    def value(depth: int = 0) -> object:
        kind = rng.random()
        if kind < 0.1 and depth < 3:
            return {_cell(rng): value(depth + 1) for _ in range(2)}
        if kind < 0.2 and depth < 3:
            return [value(depth + 1) for _ in range(3)]
        return rng.choice(
            [_cell(rng), rng.random() * 1e300, None, True, 10 ** rng.randint(0, 30), float("nan")]
        )

    records = [{_cell(rng)[:20]: value() for _ in range(rng.randint(0, 5))} for _ in range(rng.randint(1, 8))]
    return "t.jsonl", "\n".join(json.dumps(r) for r in records).encode()


def _columnar(rng: random.Random) -> Made:
    n = rng.randint(0, 6)
    kinds: list[Callable[[], pa.Array]] = [
        lambda: pa.array([_cell(rng).encode("utf-8", "replace").decode() for _ in range(n)], pa.string()),
        lambda: pa.array([rng.choice([None, rng.random(), float("nan"), float("inf")]) for _ in range(n)], pa.float64()),
        lambda: pa.array([rng.randint(-(2**62), 2**62) for _ in range(n)], pa.int64()),
        lambda: pa.array([rng.randint(-(10**14), 10**14) for _ in range(n)], pa.timestamp(rng.choice(["s", "ms", "us", "ns"]))),
        lambda: pa.array([rng.choice([None, True]) for _ in range(n)], pa.bool_()),
        lambda: pa.array([rng.randint(-(10**9), 10**9) for _ in range(n)], pa.duration("ns")),
        lambda: pa.array([_cell(rng) .encode("utf-8", "replace").decode() for _ in range(n)]).dictionary_encode(),
        lambda: pa.array([datetime(2026, 1, 1).time()] * n),
    ]  # fmt: skip
    count = rng.randint(1, 5)
    return "t.parquet", _parquet(
        pa.Table.from_arrays(
            [rng.choice(kinds)() for _ in range(count)], [f"{_cell(rng)[:9]}{k}" for k in range(count)]
        )
    )


def _damaged(rng: random.Random) -> Made:
    name, content = rng.choice([_csv, _sheet, _lines, _columnar])(rng)
    damaged = bytearray(content)
    for _ in range(rng.randint(1, 8)):
        if damaged:
            at = rng.randrange(len(damaged))
            if rng.random() < 0.5:
                damaged[at] = rng.randrange(256)
            else:
                del damaged[at : at + rng.randint(1, 60)]
    return name, bytes(damaged[: rng.randint(0, len(damaged))] if rng.random() < 0.3 else damaged)


def fuzzed(seed: int) -> Made:
    """One file of a seed; the same each time."""
    rng = random.Random(seed)
    return rng.choice([_csv, _csv, _sheet, _lines, _columnar, _damaged, _damaged])(rng)


def corpus(count: int) -> list[tuple[str, str, bytes]]:
    """Every hand-made file and as many fuzzed ones as make up the count: what it is called here, its name,
    its bytes."""
    made = [(name, name, content) for name, content in by_name().items()]
    return made + [(f"fuzzed {seed}", *fuzzed(seed)) for seed in range(max(count - len(made), 0))]


DRAWINGS = {
    "large": '<svg xmlns="http://www.w3.org/2000/svg" width="20000" height="20000"/>',
    "nested": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20">' + "<g>" * 20_000 + "</g>" * 20_000 + "</svg>",
    "image": '<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" width="20" height="20"><image x:href="file:///etc/passwd"/></svg>',
    "prefixed": '<s:svg xmlns:s="http://www.w3.org/2000/svg" width="20" height="20"><s:image href="file:///etc/hostname"/></s:svg>',
    "filter": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><filter id="f"><feImage href="http://127.0.0.1:1/"/></filter></svg>',
    "style": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><style>@import url(http://127.0.0.1:1/a.css);</style></svg>',
    "fill": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><rect width="9" height="9" fill="url(http://127.0.0.1:1/#a)"/></svg>',
    "entity": '<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><text>&a;</text></svg>',
    "laughs": '<!DOCTYPE svg [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><text>&b;</text></svg>',
    "script": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><script>alert(1)</script></svg>',
    "handler": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20" onload="alert(1)"/>',
    "use": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><use href="#a"/></svg>',
    "instruction": '<?xml-stylesheet href="http://127.0.0.1:1/a.css"?><svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"/>',
    "no svg": "<p>hello</p>",
    "cut": '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><g>',
    "sizes": '<svg xmlns="http://www.w3.org/2000/svg" width="1e99" height="nan"/>',
}  # fmt: skip
