"""An entry in a line: what a list shows beside its name."""

from __future__ import annotations

from idle_quarry.path.entries.codec import Codec, CodecVariant
from idle_quarry.path.entries.delivery import DeliverySpec
from idle_quarry.path.entries.entry import Entry
from idle_quarry.path.entries.kept_format import KeptFormat
from idle_quarry.path.entries.monitor import Monitor
from idle_quarry.path.entries.naming import NamingRule
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.entries.sound import SoundLayout


def words_of(entry: Entry) -> str:
    """Return what an entry says, in a line."""
    if isinstance(entry, Monitor):
        lines = sorted({line for door in entry.accepts for line in door.lines})
        return f"{entry.kind}; {', '.join(str(number) for number in lines)} lines"
    if isinstance(entry, DeliverySpec):
        return f"{entry.format}, {entry.codec}, {entry.sound.layout}"
    if isinstance(entry, CodecVariant):
        texts = [f"{entry.mbps:g} Mb/s" if entry.mbps else "", f"groups of {entry.gop}" if entry.gop else ""]
        texts += [
            "rates by a table" if entry.table else "",
            "in " + " or ".join(entry.containers) if entry.containers else "",
        ]
        return ", ".join([f"of {entry.base}", *(part for part in texts if part)])
    if isinstance(entry, Codec):
        return f"{entry.standard} {entry.profile}".strip()
    if isinstance(entry, SoundLayout | ProgrammeLayout | KeptFormat):
        return entry.words
    return f"{entry.of}: {entry.rule}  →  {entry.example}" if isinstance(entry, NamingRule) else ""
