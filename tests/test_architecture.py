"""The arrows that no import may go against, checked in a fresh interpreter."""

import ast
import subprocess
import sys
from pathlib import Path

PACKAGE = Path(__file__).parent.parent / "clevrin"


def test_all_of_core_and_demo_import_where_qt_cannot():
    modules = [
        ".".join(("clevrin", *path.relative_to(PACKAGE).with_suffix("").parts)).removesuffix(".__init__")
        for room in ("core", "demo")
        for path in sorted((PACKAGE / room).rglob("*.py"))
    ]
    code = (
        "import sys\n"
        "class NoQt:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] == 'PySide6': raise ImportError('no Qt here')\n"
        "sys.meta_path.insert(0, NoQt())\n"
        f"for name in {modules!r}: __import__(name)\n"
    )
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert result.returncode == 0, result.stderr
    assert len(modules) > 30


def test_no_module_outgrows_six_hundred_lines():
    long = {p.name: n for p in PACKAGE.rglob("*.py") if (n := len(p.read_text().splitlines())) > 600}
    assert not long


def test_colours_stand_in_the_theme_and_nowhere_else_in_the_window():
    import re

    found = [
        p.name
        for p in (PACKAGE / "desk").rglob("*.py")
        if p.name != "theme.py" and re.search(r'"#[0-9A-Fa-f]{6}', p.read_text())
    ]
    assert not found


def test_rings_of_packages_are_imported_by_one_thread_at_a_time():
    """Two threads that begin a ring at different places at once may be given half of it."""
    loose = []
    for path in PACKAGE.rglob("*.py"):
        guarded = set()
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.With) and any(ast.unparse(item.context_expr) == "importing" for item in node.items):
                guarded |= set(map(id, ast.walk(node)))
        for function in (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)):
            for node in ast.walk(function):
                names = [each.name for each in node.names] if isinstance(node, ast.Import) else []
                names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
                if id(node) not in guarded and any(name.split(".")[0] in ("scipy", "librosa") for name in names):
                    loose.append(f"{path.name}:{node.lineno}")
    assert loose == []
