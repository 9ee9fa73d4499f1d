"""Where what is made goes: never over what it is made from, never over what is no file, and one writer at a time."""

import os
import threading
from fractions import Fraction

import pytest

from clevrin.core.errors import MediaError
from clevrin.core.media.writing import FilmWriter
from clevrin.core.outputs import BusyError, PartsRoom, clear_parts, name_held, put, put_folder, write_text
from tests.films import still


def tree(folder) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file() and not path.is_symlink()}


def test_a_file_is_whole_or_as_it_was(tmp_path):
    path = tmp_path / "list.csv"
    write_text(path, "one\n")
    with pytest.raises(RuntimeError), put(path) as part:
        part.write_text("half")
        raise RuntimeError
    assert tree(tmp_path) == {"list.csv": b"one\n"}


@pytest.mark.parametrize("make", ["link", "hard link", "fifo", "folder", "device", "source"])
def test_only_a_plain_file_that_it_is_not_made_from_is_ever_replaced(tmp_path, make):
    source, path = tmp_path / "take.mp4", tmp_path / "out.mp4"
    source.write_bytes(b"footage")
    if make == "link":
        path.symlink_to(source)
    elif make == "hard link":
        path.hardlink_to(source)
    elif make == "fifo":
        os.mkfifo(path)
    elif make == "folder":
        path.mkdir()
    elif make == "device":
        if os.geteuid() != 0:
            pytest.skip("only root can make a device file")
        try:
            os.mknod(path, 0o600 | 0o020000, os.makedev(1, 3))
        except OSError:
            pytest.skip("no device file can be made here")
    else:
        path = source
    before = os.lstat(path)
    with pytest.raises(MediaError):
        write_text(path, "overwritten", [source])
    after = os.lstat(path)
    assert (before.st_ino, before.st_mode) == (after.st_ino, after.st_mode) and source.read_bytes() == b"footage"
    assert {each.name for each in tmp_path.iterdir()} == {source.name, path.name}


def test_two_writers_of_one_name_do_not_meet(tmp_path):
    path = tmp_path / "out.mp4"
    with FilmWriter(path, rate=Fraction(25), size=(64, 36)) as writer:
        with pytest.raises(BusyError, match="being written"):
            FilmWriter(path, rate=Fraction(25), size=(64, 36))
        with pytest.raises(BusyError):
            write_text(path, "me too")
        writer.write(still((64, 36), 90))
    assert list(tree(tmp_path)) == ["out.mp4"]
    write_text(path, "now it is free")


def test_many_writers_at_once_leave_one_whole_file_and_the_others_are_told(tmp_path):
    path, told, done = tmp_path / "out.txt", [], []

    def write(number: int) -> None:
        try:
            write_text(path, f"{number}\n" * 20_000)
            done.append(number)
        except BusyError as error:
            told.append(str(error))

    threads = [threading.Thread(target=write, args=(n,)) for n in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(done) + len(told) == 12 and done
    assert path.read_text() in {f"{number}\n" * 20_000 for number in done}
    assert list(tree(tmp_path)) == ["out.txt"]


def test_part_files_of_others_are_left_alone_and_ours_of_a_killed_process_go(tmp_path):
    path = tmp_path / "X.mp4"
    (tmp_path / "X.mp4.part").write_text("the user's own")
    with put(path) as part:
        left = part.with_name(part.name.replace(f"-{os.getpid()}-", "-99999-"))
        part.write_text("new")
    left.write_text("of a process that was killed")
    write_text(path, "newer")
    assert tree(tmp_path) == {"X.mp4.part": b"the user's own", "X.mp4": b"newer"}


def test_what_processes_that_are_gone_left_goes_and_what_is_being_made_stays(tmp_path):
    with put(tmp_path / "a.mp4") as part, put_folder(tmp_path / "b") as folder:
        part.write_text("being made")
        (folder / "1.png").write_text("being made")
        gone = [each.with_name(each.name.replace(each.name[9:25], "0123456789abcdef")) for each in (part, folder)]
        gone[0].write_text("of a process that was killed")
        gone[1] = gone[1].with_name(gone[1].name.replace(f"-{os.getpid()}-", "-99999-"))
        gone[1].mkdir()
        (gone[1] / "1.png").write_text("of a process that was killed")
        write_text(tmp_path / "other.csv", "in the same place")
        assert not any(each.exists() for each in gone)
    assert tree(tmp_path) == {"a.mp4": b"being made", "other.csv": b"in the same place"}
    assert (tmp_path / "b" / "1.png").read_text() == "being made"


def test_who_holds_a_name_is_told_and_the_parts_are_left_to_it(tmp_path):
    path = tmp_path / "film.mp4"
    room = PartsRoom(path)
    with name_held(path):
        room.open()
        room.part("ab").write_text("a finished part")
        with pytest.raises(BusyError, match=rf"^film\.mp4 is being written by process {os.getpid()} just now"):
            write_text(path, "me too")
        clear_parts(path)
        assert room.part("ab").exists()
        with put(path, held=True) as part:
            part.write_text("whole")
    clear_parts(path)
    assert tree(tmp_path) == {"film.mp4": b"whole"} and not room.folder.exists()
    (tmp_path / sorted(each.name for each in tmp_path.iterdir())[0]).unlink()
    (room.folder.parent / f"{room.folder.name.removesuffix('-parts')}.lock").write_text("99999 nowhere")
    write_text(path, "a lock of a process that is gone holds nothing")
    assert list(tree(tmp_path)) == ["film.mp4"]


@pytest.mark.parametrize("name", ["x" * 300 + ".csv", os.fsdecode(b"caf\xe9.csv"), "a\0b.csv"])
def test_names_that_cannot_be_get_a_sentence_and_leave_nothing(tmp_path, name):
    with pytest.raises(MediaError):
        write_text(tmp_path / name, "text")
    with pytest.raises(MediaError):
        FilmWriter((tmp_path / name).with_suffix(".mp4"), rate=Fraction(25), size=(64, 36))
    assert list(tmp_path.iterdir()) == []


def test_a_text_that_is_none_is_not_written(tmp_path):
    with pytest.raises(MediaError, match="no text"):
        write_text(tmp_path / "a.csv", "half a character: \ud83e")
    assert list(tmp_path.iterdir()) == []
