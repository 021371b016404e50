"""What Lather did to a delivered picture, in its XMP: who opens it again is not to do it twice.

A mirrored light of which a part was left looks like a weaker one that nobody has touched: only the
record tells them apart. It is the history of XMP's media management (ISO 16684-1, 8.5).
"""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from collections.abc import Sequence

_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_MEDIA = "http://ns.adobe.com/xap/1.0/mm/"
_EVENT = "http://ns.adobe.com/xap/1.0/sType/ResourceEvent#"
_META = "adobe:ns:meta/"
for _prefix, _uri in (("x", _META), ("rdf", _RDF), ("xmpMM", _MEDIA), ("stEvt", _EVENT)):
    ElementTree.register_namespace(_prefix, _uri)
AGENT, ACTION = "Lather", "edited"
_HISTORY, _ENTRIES, _ENTRY = f"{{{_MEDIA}}}History", f"{{{_RDF}}}Seq", f"{{{_RDF}}}li"
_AGENT, _PARAMETERS = f"{{{_EVENT}}}softwareAgent", f"{{{_EVENT}}}parameters"


def done_before(root: ElementTree.Element) -> tuple[str, ...]:
    """The works that an XMP packet says Lather did, in order."""
    found = []
    for entry in root.iter(_ENTRY):
        said = dict(entry.attrib)
        said |= {child.tag: child.text or "" for child in entry}
        if said.get(_AGENT) == AGENT:
            found += [word.strip() for word in said.get(_PARAMETERS, "").split(",")]
    return tuple(dict.fromkeys(filter(None, found)))


def with_done(root: ElementTree.Element | None, done: Sequence[str]) -> ElementTree.Element | None:
    """An XMP packet, or a new one, that says so too."""
    before = () if root is None else done_before(root)
    new = [work for work in done if work not in before]
    if not new:
        return root
    if root is None:
        root = ElementTree.Element(f"{{{_META}}}xmpmeta")
    rdf = root.find(f"{{{_RDF}}}RDF")
    if rdf is None:
        rdf = ElementTree.SubElement(root, f"{{{_RDF}}}RDF")
    entries = next(rdf.iter(_HISTORY), None)
    if entries is None:
        about = {f"{{{_RDF}}}about": ""}
        entries = ElementTree.SubElement(
            ElementTree.SubElement(rdf, f"{{{_RDF}}}Description", about), _HISTORY
        )
    listed = entries.find(_ENTRIES)
    if listed is None:
        listed = ElementTree.SubElement(entries, _ENTRIES)
    entry = ElementTree.SubElement(listed, _ENTRY, {f"{{{_RDF}}}parseType": "Resource"})
    for tag, text in ((f"{{{_EVENT}}}action", ACTION), (_AGENT, AGENT),
                      (_PARAMETERS, ", ".join(new))):  # fmt: skip
        ElementTree.SubElement(entry, tag).text = text
    return root
