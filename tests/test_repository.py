"""The repository keeps its promises: documentation links resolve, modules say what they are for and stay small."""

import ast
import json
import re
import unittest
from pathlib import Path

import gemischt
from gemischt.core.session.validation import parse_session

ROOT = Path(__file__).resolve().parents[1]
MOST_LINES = 400


class DocumentationTest(unittest.TestCase):
    def test_every_link_and_picture_resolves(self) -> None:
        for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
            for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
                if "://" not in target:
                    with self.subTest(page=page.name, target=target):
                        self.assertTrue((page.parent / target).is_file())

    def test_standards_name_files_that_exist(self) -> None:
        text = (ROOT / "docs" / "standards.md").read_text()
        for name in re.findall(r"`((?:core|operations|storage|tests)/[\w/.]+)`", text):
            with self.subTest(name):
                base = ROOT if name.startswith("tests/") else ROOT / "gemischt"
                self.assertTrue((base / name).is_file())

    def test_the_format_page_shows_a_valid_session(self) -> None:
        text = (ROOT / "docs" / "session-format.md").read_text()
        example = re.search(r"```json\n(.*?)```", text, re.DOTALL)
        assert example is not None
        self.assertEqual(parse_session(json.loads(example.group(1))).name, "Two tracks")


class ModulesTest(unittest.TestCase):
    def modules(self) -> list[Path]:
        return [path for path in (ROOT / "gemischt").rglob("*.py") if "migrations/versions/__init__" not in str(path)]

    def test_each_says_what_it_is_for(self) -> None:
        for path in self.modules():
            if path.read_text().strip():
                with self.subTest(path=path.relative_to(ROOT)):
                    self.assertTrue(ast.get_docstring(ast.parse(path.read_text())))

    def test_every_package_lists_what_is_in_it(self) -> None:
        for package in (path.parent for path in self.modules() if path.name == "__init__.py"):
            inside = {path.stem for path in package.glob("*.py") if path.stem not in ("__init__", "__main__")}
            inside |= {path.name for path in package.iterdir() if (path / "__init__.py").is_file()}
            if package.parent == ROOT or package.name == "migrations":
                continue
            text = ast.get_docstring(ast.parse((package / "__init__.py").read_text())) or ""
            listed = re.findall(r"^([a-z_]\w*(?:, [a-z_]\w*)*)  +\S", text, re.MULTILINE)
            with self.subTest(package=package.relative_to(ROOT)):
                self.assertEqual({name for names in listed for name in names.split(", ")}, inside)

    def test_none_grows_too_long(self) -> None:
        for path in (*self.modules(), *(ROOT / "web" / "src").rglob("*.ts*")):
            if ".gen." not in path.name:
                with self.subTest(path=path.relative_to(ROOT)):
                    self.assertLessEqual(len(path.read_text().splitlines()), MOST_LINES)

    def test_colours_are_written_in_one_place(self) -> None:
        for path in (ROOT / "web" / "src").rglob("*.ts*"):
            if path.name != "tokens.ts" and ".gen." not in path.name:
                with self.subTest(path=path.relative_to(ROOT)):
                    self.assertIsNone(re.search(r"#[0-9a-fA-F]{3,8}\b", path.read_text()))

    def test_the_version_stands_in_one_place(self) -> None:
        written = [path for path in self.modules() if f'"{gemischt.__version__}"' in path.read_text()]
        self.assertEqual([path.name for path in written], ["__init__.py"])
