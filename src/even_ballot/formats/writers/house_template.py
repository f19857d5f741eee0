"""A house template made safe: of a .docx only styles, numbering, headers' and footers' text, page set-up, the
theme, fonts and own pictures are kept. Whatever runs, fetches or carries something else along is left out,
and what that was is said.
"""

import io
import posixpath
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from lxml import etree

from even_ballot.core.faults import StudyError, fault
from even_ballot.formats.writers.containers import archive

LARGEST, MOST_PARTS = 20 << 20, 2_000
_MEND = "Choose a .docx saved by a word processor, or leave the template out."
_W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_R = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_RELS = "http://schemas.openxmlformats.org/package/2006/relationships"
_TYPES = "http://schemas.openxmlformats.org/package/2006/content-types"
_WORD = "application/vnd.openxmlformats-officedocument.wordprocessingml."
_KEPT = {
    "styles": _WORD + "styles+xml",
    "numbering": _WORD + "numbering+xml",
    "settings": _WORD + "settings+xml",
    "fontTable": _WORD + "fontTable+xml",
    "header": _WORD + "header+xml",
    "footer": _WORD + "footer+xml",
    "theme": "application/vnd.openxmlformats-officedocument.theme+xml",
    "font": "application/vnd.openxmlformats-officedocument.obfuscatedFont",
    "image": "",
}
"""Kinds of parts that are kept, each with its media type."""
_PICTURES = {
    "png": ("image/png", (b"\x89PNG\r\n",)),
    "jpg": ("image/jpeg", (b"\xff\xd8\xff",)),
    "jpeg": ("image/jpeg", (b"\xff\xd8\xff",)),
    "gif": ("image/gif", (b"GIF8",)),
    "bmp": ("image/bmp", (b"BM",)),
    "tif": ("image/tiff", (b"II*\0", b"MM\0*")),
    "tiff": ("image/tiff", (b"II*\0", b"MM\0*")),
    "emf": ("image/x-emf", (b"\x01\0\0\0",)),
    "wmf": ("image/x-wmf", (b"\xd7\xcd\xc6\x9a", b"\x01\0\x09\0")),
}
"""Pictures by their endings, each with its media type and how it begins."""
_SETTINGS = frozenset(
    {
        "evenAndOddHeaders",
        "mirrorMargins",
        "bordersDoNotSurroundHeader",
        "bordersDoNotSurroundFooter",
        "defaultTabStop",
        "autoHyphenation",
        "consecutiveHyphenLimit",
        "hyphenationZone",
        "doNotHyphenateCaps",
        "characterSpacingControl",
        "compat",
        "themeFontLang",
        "clrSchemeMapping",
        "decimalSymbol",
        "listSeparator",
        "embedTrueTypeFonts",
        "gutterAtTop",
    }
)
_FIELDS = frozenset({"PAGE", "NUMPAGES", "SECTION", "SECTIONPAGES", "STYLEREF", "TITLE", "SUBJECT", "DATE"})
"""Fields that tell of the document itself."""
_DROPPED = {
    "object": "embedded objects",
    "control": "controls",
    "altChunk": "other documents",
    "subDoc": "other documents",
    "dataBinding": "data bindings",
    "OLEObject": "embedded objects",
    "hlinkClick": "links",
    "hlinkHover": "links",
    "videoFile": "films and sounds",
    "audioFile": "films and sounds",
    "script": "scripts",
    "movie": "films and sounds",
}
"""Elements that are left out wherever they stand, and what they are."""


def _parsed(content: bytes) -> Any:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    tree = etree.fromstring(content, parser)
    if tree.getroottree().docinfo.doctype:
        raise ValueError("it declares a document type")
    return tree


def _local(element: Any) -> str:
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


@dataclass(frozen=True)
class _Rel:
    """How one part leads to another. kind: the last word of its type; target: a part's name, or an address
    outside."""

    id: str
    type: str
    target: str
    outside: bool

    @property
    def kind(self) -> str:
        return self.type.rsplit("/", 1)[-1]


@dataclass
class _Package:
    """A template's parts. left_out: what was; made: what is kept, by its name; types: media types of it."""

    parts: dict[str, bytes]
    left_out: dict[str, None] = field(default_factory=dict)
    made: dict[str, bytes] = field(default_factory=dict)
    types: dict[str, str] = field(default_factory=dict)

    def rels(self, name: str) -> list[_Rel]:
        """Where a part leads."""
        folder, own = posixpath.split(name)
        listed = self.parts.get(posixpath.join(folder, "_rels", f"{own}.rels"))
        if listed is None:
            return []
        found = []
        for of in _parsed(listed).iter(f"{{{_RELS}}}Relationship"):
            outside = of.get("TargetMode", "Internal") != "Internal"
            target = of.get("Target", "")
            if not outside:
                at = target[1:] if target.startswith("/") else posixpath.join(folder, target)
                target = posixpath.normpath(at)
            found.append(_Rel(of.get("Id", ""), of.get("Type", ""), target, outside))
        return found

    def keep(self, name: str, kind: str) -> bool:
        """Keeps a part with what it leads to; whether it is one to be kept."""
        if name in self.made:
            return True
        content = self.parts.get(name)
        if content is None:
            return False
        if kind in ("image", "font"):
            return self._keep_bytes(name, kind, content)
        kept = []
        self.made[name], self.types[name] = b"", _KEPT.get(kind, f"{_WORD}document.main+xml")
        for rel in self.rels(name):
            if self._is_kept(rel) and kind != "settings" and self.keep(rel.target, rel.kind):
                kept.append(rel)
            elif rel.kind not in _UNSAID:
                self.left_out[_said_of(rel)] = None
        tree = _parsed(content)
        if kind == "document":
            _without_text(tree)
        elif kind == "settings":
            self.left_out.update(dict.fromkeys(_only_settings(tree)))
        self.left_out.update(dict.fromkeys(_cleaned(tree, {rel.id for rel in kept})))
        self.made[name] = _written(tree)
        if kept:
            folder, own = posixpath.split(name)
            self.made[posixpath.join(folder, "_rels", f"{own}.rels")] = _rels_xml(kept)
        return True

    def _is_kept(self, rel: _Rel) -> bool:
        return not rel.outside and rel.kind in _KEPT

    def _keep_bytes(self, name: str, kind: str, content: bytes) -> bool:
        ending = name.rsplit(".", 1)[-1].lower()
        if kind == "font":
            self.made[name], self.types[name] = content, _KEPT["font"]
            return ending == "odttf"
        media, begins = _PICTURES.get(ending, ("", ()))
        if not any(content.startswith(start) for start in begins):
            return False
        self.made[name], self.types[name] = content, media
        return True


_SAID = {
    "vbaProject": "macros",
    "wordVbaData": "macros",
    "keyMapCustomizations": "macros",
    "attachedToolbars": "macros",
    "attachedTemplate": "an attached template",
    "hyperlink": "links",
    "oleObject": "embedded objects",
    "package": "embedded objects",
    "control": "embedded objects",
    "customXml": "custom data",
    "glossaryDocument": "building blocks",
    "mailMergeSource": "a mail merge",
}
"""Kinds of parts that are left out, in words."""
_UNSAID = frozenset({"webSettings", "footnotes", "endnotes", "comments", "stylesWithEffects", "people"})
"""Kinds that come with every file and are left out in silence."""


def _said_of(rel: _Rel) -> str:
    if rel.kind == "image":
        return "external pictures" if rel.outside else "pictures of an unknown kind"
    return _SAID.get(rel.kind, "other parts")


def _without_text(tree: Any) -> None:
    """Of the text itself only the page set-up of its last section is kept."""
    body = tree.find(f"{{{_W}}}body")
    if body is None:
        raise ValueError("it has no body")
    for element in list(body):
        if _local(element) != "sectPr":
            body.remove(element)


def _only_settings(tree: Any) -> Iterator[str]:
    for element in list(tree):
        name = _local(element)
        if name not in _SETTINGS:
            tree.remove(element)
            if name == "attachedTemplate":
                yield "an attached template"
            if name == "mailMerge":
                yield "a mail merge"


def _cleaned(tree: Any, kept: set[str]) -> Iterator[str]:
    """Takes out of a part what runs or fetches, and whatever leads to a part that is not kept. kept: ids of
    relationships."""
    yield from _without_fields(tree)
    for element in list(tree.iter()):
        if not isinstance(element.tag, str):
            _drop(element)
            continue
        name = _local(element)
        if name in _DROPPED:
            yield _DROPPED[name]
            _drop(element)
        elif name == "hyperlink":
            yield "links"
            _unwrap(element)
        else:
            yield from _without_addresses(element, kept)


def _without_addresses(element: Any, kept: set[str]) -> Iterator[str]:
    for key in list(element.attrib):
        name = etree.QName(key)
        if name.localname.lower() in ("href", "src", "oleid", "action", "onclick"):
            yield "links"
            del element.attrib[key]
        elif name.namespace == _R and element.get(key) not in kept:
            if name.localname == "link":
                # A picture may be linked and embedded at once.
                yield "external pictures"
                del element.attrib[key]
            else:
                if _local(element) in ("blip", "imagedata"):
                    yield "external pictures"
                _drop(_whole_picture(element))
                return
    if _local(element) == "blip" and f"{{{_R}}}embed" not in element.attrib:
        _drop(_whole_picture(element))


def _whole_picture(element: Any) -> Any:
    """The drawing that an element is of; itself where it is of none."""
    within = [of for of in element.iterancestors() if _local(of) in ("drawing", "pict", "AlternateContent")]
    return within[0] if within else element


def _drop(element: Any) -> None:
    parent = element.getparent()
    if parent is not None:
        parent.remove(element)


def _unwrap(element: Any) -> None:
    """Puts what an element holds in its place."""
    parent = element.getparent()
    if parent is None:
        return
    at = parent.index(element)
    for k, child in enumerate(list(element)):
        parent.insert(at + k, child)
    parent.remove(element)


def _is_harmless(code: str) -> bool:
    return (code.split() or [""])[0].upper() in _FIELDS


def _without_fields(tree: Any) -> Iterator[str]:
    """Takes out fields that run or fetch something; what they show last stays, as text."""
    for element in list(tree.iter(f"{{{_W}}}fldSimple")):
        if not _is_harmless(element.get(f"{{{_W}}}instr", "")):
            yield "fields that run or fetch"
            _unwrap(element)
    open_fields: list[tuple[list[Any], list[str]]] = []
    for element in list(tree.iter(f"{{{_W}}}fldChar", f"{{{_W}}}instrText", f"{{{_W}}}delInstrText")):
        kind = element.get(f"{{{_W}}}fldCharType") if _local(element) == "fldChar" else None
        if kind == "begin":
            open_fields.append(([], []))
        if not open_fields:
            _drop(element)
            continue
        marks, code = open_fields[-1]
        marks.append(element)
        if kind is None:
            code.append(element.text or "")
        if kind == "end":
            open_fields.pop()
            # A field within another's instruction makes a new one of both.
            if open_fields or not _is_harmless("".join(code)):
                yield "fields that run or fetch"
                for mark in marks:
                    _drop(mark)
    for marks, _ in open_fields:
        for mark in marks:
            _drop(mark)


def _written(tree: Any) -> bytes:
    content: bytes = etree.tostring(tree, xml_declaration=True, encoding="UTF-8", standalone=True)
    return content


def _rels_xml(rels: Sequence[_Rel]) -> bytes:
    root = etree.Element(f"{{{_RELS}}}Relationships", nsmap={None: _RELS})
    for rel in rels:
        etree.SubElement(root, f"{{{_RELS}}}Relationship", Id=rel.id, Type=rel.type, Target=f"/{rel.target}")
    return _written(root)


def _types_xml(types: dict[str, str]) -> bytes:
    root = etree.Element(f"{{{_TYPES}}}Types", nsmap={None: _TYPES})
    etree.SubElement(
        root,
        f"{{{_TYPES}}}Default",
        Extension="rels",
        ContentType="application/vnd.openxmlformats-package.relationships+xml",
    )
    for name, media in sorted(types.items()):
        etree.SubElement(root, f"{{{_TYPES}}}Override", PartName=f"/{name}", ContentType=media)
    return _written(root)


def _unpacked(template: bytes) -> dict[str, bytes]:
    if len(template) > LARGEST:
        raise fault("The template is larger than 20 MB.", "release.template", _MEND)
    with zipfile.ZipFile(io.BytesIO(template)) as held:
        items = held.infolist()
        if len(items) > MOST_PARTS or sum(item.file_size for item in items) > 10 * LARGEST:
            raise fault("The template unpacks to more than 200 MB.", "release.template", _MEND)
        return {item.filename: held.read(item) for item in items if not item.is_dir()}


def house_template(template: bytes) -> tuple[bytes, tuple[str, ...]]:
    """A .docx with nothing but what a template is for, and what was left out, in words. Raises StudyError
    where it cannot be read."""
    try:
        package = _Package(_unpacked(template))
        (main,) = (rel for rel in package.rels("") if rel.kind == "officeDocument" and not rel.outside)
        if not package.keep(main.target, "document"):
            raise ValueError("it has no text")
        if any(name.lower().endswith("vbaproject.bin") for name in package.parts):
            package.left_out["macros"] = None
        package.made["_rels/.rels"] = _rels_xml([main])
        package.made["[Content_Types].xml"] = _types_xml(package.types)
        return archive(package.made, None), tuple(package.left_out)
    except StudyError:
        raise
    except Exception as error:  # Whatever the libraries say of a file that is none.
        said = str(error).split("\n", 1)[0][:120]
        raise fault(
            f"The template is no .docx that can be read: {said}.", "release.template", _MEND
        ) from None
