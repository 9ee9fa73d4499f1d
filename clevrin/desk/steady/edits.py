"""What a user does with the hold of the chosen shot: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable
from pathlib import Path

from clevrin.core.document import Anchor, Hold, Loan, Shot, Span
from clevrin.core.document.edits import AnchorShot, SetHold, SetLoan, SteadyShots
from clevrin.core.document.holding import AXES
from clevrin.core.errors import ClevrinError
from clevrin.core.hold.report import idle_axes, shaken
from clevrin.core.motion.trace.motion_reading import read_motion
from clevrin.desk.bench.context import Context
from clevrin.desk.steady.on_picture import OnPicture
from clevrin.desk.steady.proposals import ShotProposals
from clevrin.desk.steady.subject import Place

_OF_ONE_TAKE = frozenset({"anchor", "reference", "spared", "not_borrowed"})


class HoldEdits:
    """Edits of the chosen shot's hold and loan; `tell` shows a sentence, `refresh` the settings as they are."""

    def __init__(
        self,
        context: Context,
        proposals: ShotProposals,
        on_picture: OnPicture,
        tell: Callable[[str], None],
        refresh: Callable[[], None],
    ) -> None:
        self._context, self._proposals, self._on_picture = context, proposals, on_picture
        self._tell, self._refresh = tell, refresh

    def change(self, fields: dict, gesture: str = "") -> None:
        """Gives the holds of the chosen shots other values; a gesture's changes are one step.

        What is of one take alone, a point or a frame of it, goes to the shot that is shown.
        """
        session = self._context.session
        shot = session.shot
        if shot is None:
            return
        self._tell("")
        alone = not _OF_ONE_TAKE.isdisjoint(fields) or fields.get("how") == "anchor"
        holds = tuple((each.id, self._changed(each, fields)) for each in (shot, *(() if alone else session.others)))
        edit = SetHold(shot_id=shot.id, hold=holds[0][1]) if len(holds) == 1 else SteadyShots(holds=holds)
        session.do(edit, gesture=f"{gesture} of {shot.id}" if gesture else None)

    def _changed(self, shot: Shot, fields: dict) -> Hold:
        """A shot's hold with other values; one that holds from now on holds what is worth it."""
        hold = shot.hold.changed(**fields)
        if "how" in fields and shot.hold.how == "none" and hold.how != "none":
            hold = hold.changed(axes=self._worth_holding(shot))
        return hold

    def _worth_holding(self, shot: Shot) -> tuple:
        """The axes in which there is something to remove; all of them where nothing is known, or nothing is shaken."""
        take = self._context.session.project.take(shot.take_id)
        trace = self._context.measurements.trace(take)
        if trace is None or shot.hold.axes != AXES:
            return shot.hold.axes
        still = idle_axes(shaken(trace, shot.span, self._context.measurements.whips(take)), trace.width)
        return tuple(axis for axis in AXES if axis not in still) or AXES

    def toggle_axis(self, axis: str) -> None:
        shot = self._context.session.shot
        if shot is None:
            return
        chosen = set(shot.hold.axes) ^ {axis}
        if not chosen:
            self._tell("At least one axis has to stay on; choose As shot to hold nothing.")
            self._refresh()
            return
        self.change({"axes": tuple(a for a in AXES if a in chosen)})

    def anchor_at(self, place: Place) -> None:
        """Holds the shot to the point at a place of the picture as shot, on the frame looked at."""
        shot = self._context.session.shot
        if shot is None:
            return
        track = self._on_picture.new_track(shot, self._context.player.frame, place)
        if track is None:
            self._tell("Click within the picture: there is nothing to follow here.")
            return
        before = shot.hold.anchor
        anchor = Anchor(track_id=track.id) if before is None else before.changed(track_id=track.id)
        self._tell("")
        hold = shot.hold.changed(how="anchor", anchor=anchor)
        self._context.session.do(AnchorShot(shot_id=shot.id, track=track, hold=hold))

    def anchor_to(self, track_id: str) -> None:
        """Holds the shot to a track of its take."""
        shot = self._context.session.shot
        if shot is not None:
            before = shot.hold.anchor
            anchor = Anchor(track_id=track_id) if before is None else before.changed(track_id=track_id)
            self.change({"how": "anchor", "anchor": anchor})

    def change_anchor(self, fields: dict, gesture: str = "") -> None:
        shot = self._context.session.shot
        if shot is None or shot.hold.anchor is None:
            self._tell("Click the point to hold in the picture as shot first.")
            self._refresh()
            return
        track = self._on_picture.track(shot)
        if (fields.get("turn") or fields.get("size")) and track is not None and track.kind == "point":
            self._tell("A point has no turn and no size: follow a surface in Log, and anchor to that.")
            self._refresh()
            return
        self.change({"anchor": shot.hold.anchor.changed(**fields)}, gesture)

    def toggle_besides(self, key: str) -> None:
        """Keeps something else of the anchor's subject besides its place, or not any more."""
        shot = self._context.session.shot
        on = shot is not None and shot.hold.anchor is not None and getattr(shot.hold.anchor, key)
        self.change_anchor({key: not on})

    def move_place(self, place: Place) -> None:
        shot = self._context.session.shot
        mirrored = place if shot is None else self._on_picture.in_gate(shot, place)
        self.change_anchor({"place": mirrored}, "place")

    def set_reference(self, here: bool) -> None:
        self.change({"reference": self._context.player.frame if here else None})

    def spare(self, stretch: Span | None) -> None:
        shot = self._context.session.shot
        if shot is not None:
            self.change({"spared": () if stretch is None else (*shot.hold.spared, stretch)})

    def take_enough(self) -> None:
        shot = self._context.session.shot
        found = self._proposals.of(shot) if shot is not None else None
        if shot is None or found is None:
            return
        enough = found.enough
        self.change({"settle_s": enough.settle_s})
        if enough.blurred:
            self._tell(
                f"With a settle of {enough.settle_s:.1f} s, {enough.blurred} frames are still blurred by the shake."
            )

    def steady_all(self) -> None:
        """Gives all shots of the reel the present hold, each without the axes in which it has nothing to remove."""
        session = self._context.session
        shot = session.shot
        if shot is None:
            return
        if shot.hold.how == "anchor":
            self._tell("An anchor is a point of one take: choose Float or Lock-off for all.")
            return
        given = shot.hold.for_another_take.changed(axes=AXES)
        holds = [
            (each.id, given.changed(axes=self._worth_holding(each.changed(hold=given))))
            for each in session.project.reel.shots
            if each.id != shot.id
        ]
        if holds:
            session.do(SteadyShots(holds=tuple(holds)))

    def change_loan(self, loan: Loan | None, gesture: str = "") -> None:
        shot = self._context.session.shot
        if shot is not None:
            edit = SetLoan(shot_id=shot.id, loan=loan)
            self._context.session.do(edit, gesture=f"loan {gesture} of {shot.id}" if gesture else None)

    def change_terms(self, fields: dict, gesture: str = "") -> None:
        """Changes how much is lent, and what of it; nothing where nobody lends."""
        shot = self._context.session.shot
        if shot is not None and shot.loan is not None:
            edit = SetLoan(shot_id=shot.id, loan=shot.loan.changed(**fields))
            self._context.session.do_for_chosen(edit, gesture=f"loan {gesture} of {shot.id}" if gesture else None)

    def read_motion(self, path: Path) -> None:
        """Keeps the motion of a file with the project, and lends it to the chosen shot."""
        shot = self._context.session.shot
        if shot is None:
            return
        try:
            motion = read_motion(path)
        except ClevrinError as error:
            self._tell(str(error))
            return
        loan = Loan(lender="motion", lender_id=motion.id)
        self._context.session.do(SetLoan(shot_id=shot.id, loan=loan, motion=motion))
