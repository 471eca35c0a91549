"""Which revisions may start a job: none that was withdrawn, and of the house's none that nobody approved without a
word.
"""

from __future__ import annotations

from idle_quarry.errors import JobError
from idle_quarry.library import Library, StoredTemplate


class NotApproved(JobError):
    """A house revision that nobody approved: whoever starts a job from it says that this is meant."""


def check_startable(library: Library, stored: StoredTemplate, *, unapproved: bool = False) -> None:
    """Raise `JobError` where a revision was withdrawn, `NotApproved` where it waits for an approval and that is not
    meant.
    """
    revision = stored.revision
    subject = f"{stored.name}, revision {revision.number}"
    if revision.state not in ("draft", "in review", "withdrawn"):
        return
    if revision.state != "withdrawn" and (stored.shelf != "house" or unapproved):
        return
    summary = library.summary(revision.template_id)
    stands = summary.approved if summary.approved != revision.number else None
    instead = f"start from revision {stands}, which is approved" if stands else ""
    if revision.state == "withdrawn":
        raise JobError("was withdrawn, and starts no job", subject=subject, remedy=instead or "bring it back first")
    raise NotApproved(
        f"is {revision.state}: nobody approved it yet",
        subject=subject,
        remedy=f"{instead or 'have it approved'}, or say --unapproved where that is meant",
    )
