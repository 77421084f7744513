#!/usr/bin/env python3
"""Holds texts that people read to the glossary in CONTRIBUTING.md ("Words"), the pages' lines
to 100 columns, and their links to what is there. Prints what breaks it, and ends with 1.
   scripts/check_words.py"""
import pathlib
import re
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
WIDTH = 100
# Of each the word that is used instead, as CONTRIBUTING.md has it.
WORDS = {
    r"\bparted by\b": "separated by",
    r"\b(held|hold|holds) against\b": "compared with",
    r"\b(broke|breaks|break|broken) off\b": "interrupted",
    r"\bcut short\b": "truncated",
    r"\b(had|taken) from\b": "came from",
    r"\banew\b": "again",
    r"\bwhat became of\b": "the outcome",
    r"\brules of keeping\b": "retention",
    r"\bwhat there is\b": "the list of ...",
    r"' is no (?!longer)": "is not a",
    r"\bis no (IP|address|size|time|name|number|text|JSON|version)\b": "is not a",
    r"\b(stands|stand) in (the|a|no|each|its)\b": "is in, is listed in",
    r"\btake[ns]? in (an?|the) image": "add",
}
MARK = "<!-- made from the table of operations"


def lines_of(text):
    """Numbered lines of prose: no code, and nothing that is made from the source."""
    code = False
    for number, line in enumerate(text.split("\n"), 1):
        if line.startswith(MARK) or line == "## Verbs":
            return
        if line.startswith("```"):
            code = not code
        elif not code:
            yield number, line


def literals_of(text):
    """String literals with their lines, those that go on in the next line joined."""
    for found in re.finditer(r'"(?:[^"\\\n]|\\.)*"(?:\s*\n\s*"(?:[^"\\\n]|\\.)*")*', text):
        joined = re.sub(r'"\s*\n\s*"', "", found.group())
        if " " in joined:
            yield text.count("\n", 0, found.start()) + 1, joined


def anchors_of(page):
    heads = re.findall(r"^#+ (.*)$", page.read_text(encoding="utf-8"), re.MULTILINE)
    return {re.sub(r"[^a-z0-9 _-]", "", head.lower()).replace(" ", "-") for head in heads}


def dead_links(page):
    text = re.sub(r"```.*?```", "", page.read_text(encoding="utf-8"), flags=re.DOTALL)
    for link in re.finditer(r"\]\(([^)#:\s]*)(?:#([^)]*))?\)", text):
        target = (page.parent / link.group(1)).resolve() if link.group(1) else page
        if not target.exists():
            yield link.group(1)
        elif link.group(2) and target.suffix == ".md" and link.group(2) not in anchors_of(target):
            yield f"{link.group(1)}#{link.group(2)}"


def main():
    wrong = []
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", ROOT / "CHANGELOG.md", *sorted((ROOT / "docs").rglob("*.md"))]
    for page in pages:
        wrong += [f"{page.relative_to(ROOT)}: dead link '{link}'" for link in dead_links(page)]
        for number, line in lines_of(page.read_text(encoding="utf-8")):
            place = f"{page.relative_to(ROOT)}:{number}"
            if len(line) > WIDTH and not line.startswith(("|", "#", "![")):
                wrong.append(f"{place}: {len(line)} columns, limit {WIDTH}")
            if page.name == "CONTRIBUTING.md" and line.startswith("|"):
                continue  # the glossary names what it is against
            wrong += [f"{place}: '{found.group()}': say '{better}'"
                      for word, better in WORDS.items() for found in re.finditer(word, line)]
    settings = ROOT / "packaging" / "vantro.toml"
    for number, line in enumerate(settings.read_text(encoding="utf-8").split("\n"), 1):
        wrong += [f"packaging/vantro.toml:{number}: '{found.group()}': say '{better}'"
                  for word, better in WORDS.items() for found in re.finditer(word, line)]
    for source in sorted((ROOT / "src").rglob("*.cc")):
        for number, literal in literals_of(source.read_text(encoding="utf-8")):
            wrong += [f"{source.relative_to(ROOT)}:{number}: '{found.group()}': say '{better}'"
                      for word, better in WORDS.items() for found in re.finditer(word, literal)]
    print("\n".join(wrong) if wrong else "The words are those of the glossary.")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
