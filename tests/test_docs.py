"""The documents that are made from the code, or speak of it."""

import importlib.util
import re
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_the_guide_to_the_commands_is_what_the_commands_say():
    spec = importlib.util.spec_from_file_location("command_guide", ROOT / "tools" / "command_guide.py")
    guide = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(guide)
    assert guide.PAGE.read_text(encoding="utf-8") == guide.page(), "run make guide"
    page = guide.man_page()
    assert guide.MAN_PAGE.read_text(encoding="utf-8") == page, "run make guide"
    assert ".SS render PROJECT" in page and ".B \\-\\-on TEXT" in page and "CLEVRIN_ROOT" in page
    assert not re.search(r"^\.(?!TH|SH|SS|TP|B |B$)", page, re.MULTILINE)  # nothing said begins like a command


def test_the_glossary_names_what_there_is():
    code = "\n".join(path.read_text() for path in (ROOT / "clevrin").rglob("*.py"))
    for row in re.findall(r"^\| [^|]+ \| ([^|]+) \|", (ROOT / "docs" / "glossary.md").read_text(), re.MULTILINE):
        for name in re.findall(r"`([^`]+)`", row):
            last = name.rstrip("/").split(".")[-1]
            assert re.search(rf"\b{last}\b", code), f"{name} is in the glossary and nowhere else"


def test_links_of_the_readme_and_guide_lead_somewhere():
    for page in (ROOT / "README.md", *(ROOT / "docs" / "guide").glob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / target).exists(), f"{page.name}: {target}"
