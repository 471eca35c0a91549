"""The report of a verification: every check, failed first, with a small picture of its first place.

As a page, a table or a document.
"""

from __future__ import annotations

import base64
import contextlib
import csv
import io
from datetime import datetime
from pathlib import Path
from typing import Any

from PIL import Image

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.handover.record import VerificationRecord
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.paper import WritePdf, pages, write_paper

_GROUPS = {"fails": "What fails", "look": "To be looked at", "passes": "What passes", "not checked": "Not checked"}
#: Width of a small picture, and pictures in a report at the most.
_WIDTH, _MOST = 160, 12


def as_html(noted: VerificationRecord) -> str:
    """Return the report as a page."""
    document = noted.document
    acceptances = {acceptance.check: acceptance for acceptance in noted.accepted}
    pictures = _pictures(noted)
    groups = []
    for verdict, title in _GROUPS.items():
        checks = [
            {**check, "accepted": acceptances.get(check["id"]), "picture": pictures.get(check["id"], "")}
            for check in document["checks"]
            if check["verdict"] == verdict
        ]
        if checks:
            groups.append((title, checks))
    return (
        pages("idle_quarry.jobs", "papers_html")
        .get_template("handover.html")
        .render(
            name=noted.path.name,
            delivery=document["delivery"],
            template=document["template"],
            revision=document["revision"],
            sha256=document["sha256"],
            verdict=noted.verdict,
            groups=groups,
            made=datetime.now().astimezone().strftime("%Y-%m-%d %H:%M"),
        )
    )


def _pictures(noted: VerificationRecord) -> dict[str, str]:
    """Return a small picture of the first place of each check that fails or is to be looked at, as Base64 of a PNG."""
    wanted = [check for check in noted.document["checks"] if check["verdict"] in ("fails", "look") and check["where"]][
        :_MOST
    ]
    results: dict[str, str] = {}
    with contextlib.suppress(QuarryError, OSError):
        if wanted:
            clip = inspect(noted.path)
            with FrameSource(clip) as source:
                for check in wanted:
                    place = check["where"][0]
                    picture = source.frame((place["first_frame"] + place["last_frame"]) // 2)
                    if picture is None:
                        continue
                    rgb = shown(picture, clip, max(1, picture.luma.shape[0] // 360))
                    high = round(_WIDTH / max(0.1, float(clip.declared.display_aspect)))
                    data = io.BytesIO()
                    Image.fromarray(rgb).resize((_WIDTH, high), Image.Resampling.BOX).save(data, "PNG")
                    results[check["id"]] = base64.b64encode(data.getvalue()).decode()
    return results


def as_table(noted: VerificationRecord) -> str:
    """Return the checks as a table."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["id", "verdict", "wanted", "found", "from", "to", "clause", "text"])
    for check in noted.document["checks"]:
        place = check["where"][0] if check["where"] else {"from": "", "to": ""}
        rows.writerow(
            [
                check["id"],
                check["verdict"],
                check["wanted"],
                check["found"],
                place["from"],
                place["to"],
                check["clause"],
                check["text"],
            ]
        )
    return out.getvalue()


def as_document(noted: VerificationRecord) -> dict[str, Any]:
    """Return the verification as a document, with what was accepted."""
    return {
        **noted.document,
        "verified": noted.when,
        "accepted": [vars(acceptance) for acceptance in noted.accepted],
        "verdict_with_accepted": noted.verdict,
    }


def write_report(path: Path, noted: VerificationRecord, write_pdf: WritePdf) -> None:
    """Write the report in the form that the suffix of `path` names, whole or not at all.

    Raises what `write_paper` raises.
    """
    write_paper(path, lambda: as_html(noted), lambda: as_table(noted), lambda: as_document(noted), write_pdf)
