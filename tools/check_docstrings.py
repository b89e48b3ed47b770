"""Public functions of the core say what they take and give: a number its unit, an array its shape as well, in square brackets
(or that it has none), and the errors that they raise themselves. And no two classes of the program have one name.

Run by `make lint`; prints what is missing and ends with 1.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "pigtail"
#: Annotations that hold numbers.
NUMBERS = re.compile(r"\bfloat\b|NDArray|ArrayLike|\bArray\b|\bSamples\b|\bNumbers\b")
#: How a unit, a shape or their absence is told.
TOLD = re.compile(r"\[[^\]]+\]|without unit|≥|None of them has a unit")


def public(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    """The functions of a module, and the methods of its classes, that others may call."""
    for node in tree.body:
        if isinstance(node, ast.FunctionDef):
            yield node
        elif isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from (member for member in node.body if isinstance(member, ast.FunctionDef))


def missing(function: ast.FunctionDef) -> Iterator[str]:
    """What a function's docstring does not say."""
    text = ast.get_docstring(function) or ""
    arguments = (*function.args.args, *function.args.kwonlyargs)
    types = [a.annotation for a in arguments if a.annotation] + (
        [function.returns] if function.returns else []
    )
    if any(NUMBERS.search(ast.unparse(t)) for t in types) and not TOLD.search(text):
        yield "no unit or shape in brackets"
    own = [n for n in ast.walk(function) if isinstance(n, ast.Raise) and n.exc is not None]
    if own and "aise" not in text and "refuse" not in text:
        yield "does not say what it raises"


def main() -> int:
    """Check all files of the core."""
    found, classes = [], dict[str, str]()
    for path in sorted(SOURCE.rglob("*.py")):
        tree, where = ast.parse(path.read_text(encoding="utf-8")), path.relative_to(SOURCE)
        for node in tree.body:
            if isinstance(node, ast.ClassDef):
                name = node.name.lstrip("_")
                if name in classes:
                    found.append(
                        f"{where}:{node.lineno}: class {name} has the name of one in {classes[name]}"
                    )
                classes[name] = str(where)
        if where.parts[0] == "desktop":
            continue
        for function in public(tree):
            if not function.name.startswith("_"):
                found += [f"{where}:{function.lineno}: {function.name} {what}" for what in missing(function)]
    print("\n".join(found) or "Docstrings tell units, shapes and errors; class names are unique.")
    return int(bool(found))


if __name__ == "__main__":
    sys.exit(main())
