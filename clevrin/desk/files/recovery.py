"""What is offered at the start, or when a project cannot be read: changes that were not saved, earlier copies."""

from datetime import datetime
from pathlib import Path

from clevrin.core.document.earlier_versions import last_good_copy
from clevrin.core.document.journal import LeftBehind, look_through
from clevrin.core.errors import DocumentError
from clevrin.desk.state.session import Session
from clevrin.desk.widgets.offer import Offer, OfferBar


def offer_left_behind(session: Session, bar: OfferBar, folder: Path) -> None:
    """Offers what windows that ended without a goodbye had open, the newest first."""
    found = look_through(folder)
    for left in found.left:
        bar.offer(_of_journal(session, left))
    for file in found.unreadable:
        bar.offer(
            Offer(
                sentence=f"Changes that were left behind cannot be read here. They were put aside, as {file}.",
                answers=(("All right", lambda: None),),
            )
        )


def open_or_offer(session: Session, bar: OfferBar, path: Path) -> str | None:
    """Opens a project. One that cannot be read is told, as a sentence, and its last good copy is offered."""
    try:
        session.open(path)
    except DocumentError as error:
        found = last_good_copy(path)
        if found is None:
            return str(error)
        copy, project = found
        when = _when(datetime.fromtimestamp(copy.stat().st_mtime))
        bar.offer(
            Offer(
                sentence=f"{error} Its last good copy, from {when}, is beside it.",
                answers=(
                    ("Open the copy", lambda: session.open_copy(project, path)),
                    ("Leave it", lambda: None),
                ),
            )
        )
    return None


def _of_journal(session: Session, left: LeftBehind) -> Offer:
    name = left.place.stem if left.place is not None else left.project.name
    changes = f"{left.changes} change{'s' if left.changes != 1 else ''} that {_were(left.changes)} not saved"
    damaged = f" Not all of what was written down could be read; it lies aside, as {left.file}." if left.damaged else ""
    return Offer(
        sentence=f"Clevrin was ended before {name} was closed. {changes[:1].upper()}{changes[1:]}, the last one "
        f"{_when(left.when)}, are here.{damaged}",
        answers=(
            ("Go on with them", lambda: session.recover(left)),
            ("Put them aside", left.set_aside),
        ),
    )


def _were(count: int) -> str:
    return "was" if count == 1 else "were"


def _when(moment: datetime) -> str:
    """An instant as people say it."""
    days = (datetime.now().date() - moment.date()).days
    clock = moment.strftime("%H:%M")
    return {0: f"today at {clock}", 1: f"yesterday at {clock}"}.get(days, moment.strftime("%-d %B %Y at %H:%M"))
