"""What a user does with the join between two shots of the reel: every change as an edit."""

from collections.abc import Callable

from clevrin.core.document import Join, Shot
from clevrin.core.document.edits import SetLeaves
from clevrin.core.document.joining import PLAIN
from clevrin.core.document.joining import Setting as Value
from clevrin.core.join.balancing import Balance, balance_at_cut, unbalanced
from clevrin.core.join.kinds import KINDS, kind_of
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context

Pair = tuple[Shot, Shot]


class JoinEdits:
    """Changes how a shot passes into the next one; with it, what is chosen as well and joined alike."""

    def __init__(self, context: Context) -> None:
        self._context, self._session = context, context.session

    def left_alike(self, shot: Shot) -> list[Shot]:
        """The shots whose joins change together: all that are chosen, if this one is among them."""
        shots = self._session.project.reel.shots[:-1]
        chosen = [each for each in shots if each.id in self._session.shot_ids]
        return chosen if shot in chosen else [shot]

    def make(self, shot: Shot, kind: str, **values: Value) -> None:
        """Makes the join by which a shot leaves one of a kind, as usual but for some settings of it.

        Raises `ClevrinError` for what cannot be.
        """
        known = {each.id: each for each in KINDS[kind].settings} if values else {}
        made = Join(kind=kind).having(**{name: known[name].checked(value) for name, value in values.items()})
        leaves = tuple(
            (each.id, made.changed(dissolve_frames=0 if kind == PLAIN else each.leave.dissolve_frames))
            for each in self.left_alike(shot)
        )
        self._session.do(SetLeaves(leaves=leaves, label=f"Make {kind}"))

    def set_values(self, shot: Shot, changed: dict[str, Value], gesture: str = "") -> None:
        """Changes settings of the join. Raises `ClevrinError` for what cannot be."""
        known = {each.id: each for each in kind_of(shot.leave).settings}
        checked = {name: known[name].checked(value) for name, value in changed.items()}
        alike = [each for each in self.left_alike(shot) if each.leave.kind == shot.leave.kind]
        leaves = tuple((each.id, each.leave.having(**checked)) for each in alike)
        named = f"join {gesture} of {shot.id}" if gesture else None
        self._session.do(SetLeaves(leaves=leaves, label="Set join"), gesture=named)

    def dissolve(self, shot: Shot, frames: int) -> None:
        """Lays so many frames of a dissolve over the join."""
        leave = shot.leave.changed(dissolve_frames=frames)
        self._session.do(SetLeaves(leaves=((shot.id, leave),)), gesture=f"dissolve of {shot.id}")

    def leave_colours_alone(self, shot: Shot) -> None:
        self._session.do(SetLeaves(leaves=((shot.id, unbalanced(shot.leave)),), label="Leave colours alone"))

    def balance_colours(
        self, pair: Pair, still: Callable[[], bool], done: Callable[[Balance], None], failed: Callable[[str], None]
    ) -> None:
        """Balances the incoming side in the background. `still`: whether the pair is as it was then."""
        project, store = self._session.project, self._context.measurements.store
        first = pair[0]

        def work(progress: Progress) -> Balance:
            with Sources.of(store, light=True) as sources:
                return balance_at_cut(pair, lambda take_id: sources.films.reader(project.take(take_id)))

        def found(balanced: Balance) -> None:
            if not still():
                return
            words = f"colours at the cut: ΔE {balanced.before_de:.1f}, balanced {balanced.after_de:.1f}"
            self._context.notices.tell(words, None)
            leaves = ((first.id, balanced.on(first.leave)),)
            self._session.do(SetLeaves(leaves=leaves, label="Balance colours"))
            done(balanced)

        self._context.jobs.restart(
            Job(key=("balance",), what="Comparing colours", work=work, done=found, failed=failed, quiet=True)
        )
