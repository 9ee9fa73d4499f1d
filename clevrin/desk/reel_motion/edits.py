"""What a user does with motion over the reel: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable

from clevrin.core.document import Hold, Loan, Motion, Over, Project, Span
from clevrin.core.document.edits import LayOver
from clevrin.core.hold.lending import kept_motion
from clevrin.core.hold.reel_motion import within_budget
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.desk.bench.context import Context

_USUAL = Loan(lender="rig", rig="walking")


class OverEdits:
    """Lays motion over stretches, and changes the one that is chosen."""

    def __init__(self, context: Context) -> None:
        self._session, self._measurements, self._notices = context.session, context.measurements, context.notices
        self._chosen = ""
        self.chosen_changed: Callable[[], None] = lambda: None

    @property
    def chosen(self) -> Over | None:
        """The stretch that is changed: the one chosen last that is still there, else the first."""
        over = self._session.project.reel.over
        return next((each for each in over if each.id == self._chosen), over[0] if over else None)

    def choose(self, over_id: str) -> None:
        self._chosen = over_id
        self.chosen_changed()

    def lay_over_all(self) -> None:
        """Motion over the whole reel, in the place of what lies there."""
        self._lay(0, reel_frames(self._session.project))

    def lay_all_lent_by(self, loan: Loan | None) -> None:
        """The same, lent by somebody else."""
        with self._session.together("Lay motion over the reel"):
            self.lay_over_all()
            self.lend(loan)

    def lay_over_shots(self) -> None:
        """Motion over the chosen shots, from the first one's start to the last one's end."""
        chosen = [each for each in placed_shots(self._session.project) if each.shot.id in self._session.shot_ids]
        if chosen:
            self._lay(chosen[0].start, chosen[-1].end)

    def _lay(self, first: int, end: int) -> None:
        if end <= first:
            self._notices.trouble("Motion lies over shots: put some on the reel first.")
            return
        before = self.chosen
        loan = _USUAL if before is None else before.loan
        laid = Over(first=first, frames=end - first, loan=loan)
        if self._session.do(LayOver(over=_with(self._session.project, laid), label="Lay motion over the reel")):
            self.choose(laid.id)

    def remove(self) -> None:
        """Takes the chosen one away."""
        gone = self.chosen
        if gone is not None:
            rest = tuple(each for each in self._session.project.reel.over if each.id != gone.id)
            self._session.do(LayOver(over=rest, label="Take motion off the reel"))

    def lend(self, loan: Loan | None) -> None:
        """Gives the chosen stretch another lender; what a take did is kept as a motion for it."""
        project, over = self._session.project, self.chosen
        if over is None or loan is None:
            return
        motion = None
        if loan.lender == "take" and loan.lender_id is not None:
            take = project.take(loan.lender_id)
            trace = self._measurements.trace(take)
            if trace is None:
                self._notices.trouble(f"The motion of {take.name} is not measured yet: try again when it is.")
                return
            motion = kept_motion(take.name, trace)
            motion = next((each for each in project.motions if each.course == motion.course), motion)
            loan = loan.changed(lender="motion", lender_id=motion.id)
        self._change(self._bounded(over.changed(loan=loan), motion), motion=motion)

    def lend_attempt(self, motion: Motion) -> None:
        """Gives the chosen stretch, or where there is none the whole reel, a motion that was performed over it."""
        over, project = self.chosen, self._session.project
        if over is not None:
            lent = over.changed(loan=over.loan.changed(lender="motion", lender_id=motion.id))
            self._change(self._bounded(lent, motion), motion=motion)
            return
        loan = Loan(lender="motion", lender_id=motion.id)
        laid = self._bounded(Over(first=0, frames=reel_frames(project), loan=loan), motion)
        if self._session.do(LayOver(over=(laid,), motion=motion, label="Perform motion over the reel")):
            self.choose(laid.id)

    @property
    def stretch(self) -> Span | None:
        """The frames of the reel that are performed over: the chosen stretch, or all; None where there are none."""
        over, frames = self.chosen, reel_frames(self._session.project)
        if over is not None:
            return Span(first=over.first, end=min(over.end, frames)) if over.first < frames else None
        return Span(first=0, end=frames) if frames else None

    def set_loan(self, gesture: str, **fields: object) -> None:
        """Changes how much of what is lent to the chosen stretch."""
        over = self.chosen
        if over is not None:
            self._change(over.changed(loan=over.loan.changed(**fields)), gesture)

    def set_stretch(self, gesture: str, *, first: int | None = None, end: int | None = None) -> None:
        """Moves an end of the chosen stretch, as far as there is room between its neighbours."""
        over = self.chosen
        if over is None:
            return
        others = [each for each in self._session.project.reel.over if each.id != over.id]
        low = max((each.end for each in others if each.end <= over.first), default=0)
        high = min((each.first for each in others if each.first >= over.end), default=10**9)
        begins = over.first if first is None else min(max(first, low), over.end - 1)
        ends = over.end if end is None else max(min(end, high), begins + 1)
        self._change(over.changed(first=begins, frames=ends - begins), gesture)

    def set_ease(self, frames: int, gesture: str) -> None:
        over = self.chosen
        if over is not None:
            self._change(over.changed(ease=frames), gesture)

    def _bounded(self, over: Over, motion: Motion | None) -> Over:
        """No more strongly than the picture has room for, which is told; more of it can be set then."""
        project = self._session.project
        if motion is not None:
            project = project.changed(motions=(*(m for m in project.motions if m.id != motion.id), motion))
        bounded = within_budget(project, over)
        if bounded != over:
            self._notices.tell(
                f"Lent at {bounded.loan.amount * 100:.0f} %: more would leave less than "
                f"{Hold().keep * 100:.0f} % of the picture's width."
            )
        return bounded

    def _change(self, over: Over, gesture: str = "", motion: Motion | None = None) -> None:
        all_of_them = tuple(over if each.id == over.id else each for each in self._session.project.reel.over)
        edit = LayOver(over=all_of_them, motion=motion)
        self._session.do(edit, gesture=f"over {over.id} {gesture}" if gesture else None)


def _with(project: Project, laid: Over) -> tuple[Over, ...]:
    """The stretches of a reel with another one, which those give way to that it meets."""
    apart = [each for each in project.reel.over if each.end <= laid.first or each.first >= laid.end]
    return tuple(sorted((*apart, laid), key=lambda each: each.first))
