"""What an edit is, and how edits put changed takes and shots back in their places."""

from collections.abc import Callable, Iterable
from typing import Protocol, TypeVar

from clevrin.core.document.model import Project, Shot, Take

T = TypeVar("T", bound="_Named")


class _Named(Protocol):
    @property
    def id(self) -> str: ...


class Edit(Protocol):
    """A change of the document. `apply` is pure; it raises `KeyError` for an id that is not there."""

    @property
    def label(self) -> str:
        """Words for the Undo menu."""

    def apply(self, project: Project) -> Project: ...


def with_take(project: Project, take: Take) -> Project:
    """The project with one of its takes changed."""
    project.take(take.id)
    return project.changed(takes=tuple(take if t.id == take.id else t for t in project.takes))


def with_shot(project: Project, shot: Shot) -> Project:
    """The project with one of its shots changed."""
    return each_shot(project, (shot.id,), lambda _: shot)


def each_shot(project: Project, shot_ids: Iterable[str], change: Callable[[Shot], Shot]) -> Project:
    """The project with some of its shots changed."""
    chosen = present_shots(project, shot_ids)
    return with_shots(project, [change(s) if s.id in chosen else s for s in project.reel.shots])


def with_shots(project: Project, shots: Iterable[Shot]) -> Project:
    """The project with another row of shots."""
    return project.changed(reel=project.reel.changed(shots=tuple(shots)))


def present_shots(project: Project, shot_ids: Iterable[str]) -> frozenset[str]:
    """These ids as a set; raises `KeyError` for one that is not on the reel."""
    chosen = frozenset(shot_ids)
    for missing in chosen - {shot.id for shot in project.reel.shots}:
        raise KeyError(missing)
    return chosen


def with_one(values: tuple[T, ...], one: T) -> tuple[T, ...]:
    """Values with another one behind them, or in the place of the one with its id."""
    if all(each.id != one.id for each in values):
        return (*values, one)
    return tuple(one if each.id == one.id else each for each in values)


def counted(verb: str, count: int, thing: str) -> str:
    """Words for the Undo menu: 'Remove shot', 'Remove 3 shots'."""
    return f"{verb} {thing}" if count == 1 else f"{verb} {count} {thing}s"
