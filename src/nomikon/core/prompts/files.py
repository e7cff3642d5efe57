"""Prompt files: Markdown with YAML front matter and one fenced div per message."""

from __future__ import annotations

import re
from typing import Any

import yaml

from nomikon.core.errors import DomainError, FileFormatError, PromptFileError
from nomikon.core.foreign_words import of_yaml
from nomikon.core.prompts.messages import ROLES, Message, Prompt, check_messages
from nomikon.core.prompts.settings import check_settings
from nomikon.core.yaml_lines import load_plain

FORMAT = "prompt/1"
TASKS = ("classify", "extract", "summarise", "rewrite", "write", "converse", "other")
_OPEN = re.compile(r"^(?P<colons>:{3,})[ \t]*(?P<attributes>\S.*)$")
_CLOSE = re.compile(r"^(?P<colons>:{3,})[ \t]*$")
_BRACED = re.compile(r"^\{\s*\.(?P<role>[\w-]+)(?P<rest>(?:\s+[\w-]+=(?:\"[^\"]*\"|\S+?))*)\s*\}$")
_PAIR = re.compile(r"([\w-]+)=(?:\"([^\"]*)\"|([^\s}]+))")


def parse_prompt_file(text: str) -> Prompt:
    """Read one prompt file.

    A message's content is the text between its fence lines, line endings kept
    and the last one dropped. Raises PromptFileError with the line (from 1) for
    text before the front matter or between divs, front matter that is no YAML
    mapping, an unclosed fence, an unknown role or attribute, a bad setting.
    """
    text = text.removeprefix("\ufeff")
    # str.splitlines also splits at form feeds and the like, which are text here.
    lines = re.findall(r"[^\r\n]*(?:\r\n|\n|\r)|[^\r\n]+", text)
    head, first = _front_matter(lines)
    messages = _divs(lines, first)
    if not messages:
        raise PromptFileError("the file holds no message (::: user … :::)", line=len(lines) or 1)
    return _prompt(head, messages, first)


def _front_matter(lines: list[str]) -> tuple[dict[str, Any], int]:
    for index, line in enumerate(lines):
        if line.strip() == "---":
            break
        if line.strip():
            raise PromptFileError(
                "text stands before the front matter; the file must begin with a line ---",
                line=index + 1,
            )
    else:
        raise PromptFileError("the front matter is missing (a block between two lines ---)", line=1)
    for end in range(index + 1, len(lines)):
        if lines[end].strip() == "---":
            break
    else:
        raise PromptFileError("the front matter is not closed with a line ---", line=index + 1)
    try:
        head = load_plain("".join(lines[index + 1 : end])) or {}
    except FileFormatError as error:
        at = index + 1 + int(error.facts.get("line") or 1)
        raise PromptFileError(f"the front matter: {error.message}", line=at) from error
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        at = index + 2 + (mark.line if mark else 0)
        raise PromptFileError(f"the front matter is not YAML: {of_yaml(error)}", line=at) from error
    except (ValueError, RecursionError) as error:
        raise PromptFileError(
            f"the front matter is not YAML: {of_yaml(error)}", line=index + 2
        ) from error
    if not isinstance(head, dict):
        raise PromptFileError(
            "the front matter must be a YAML mapping (name: value)", line=index + 2
        )
    if head.get("nomikon") != FORMAT:
        given = head.get("nomikon")
        raise PromptFileError(
            f"the front matter must say `nomikon: {FORMAT}`; it says {given!r}", line=index + 2
        )
    return head, end + 1


def _divs(lines: list[str], first: int) -> list[tuple[Message, int]]:
    messages: list[tuple[Message, int]] = []
    index = first
    while index < len(lines):
        bare = lines[index].rstrip("\r\n")
        if not bare.strip():
            index += 1
            continue
        match = _OPEN.match(bare)
        if match is None:
            what = (
                "a fence is closed that was never opened"
                if _CLOSE.match(bare)
                else "text stands outside the messages"
            )
            raise PromptFileError(f"{what}: {bare.strip()[:60]!r}", line=index + 1)
        role, step = _attributes(match.group("attributes").rstrip(), index + 1)
        colons = len(match.group("colons"))
        end = index + 1
        while end < len(lines):
            close = _CLOSE.match(lines[end].rstrip("\r\n"))
            if close and len(close.group("colons")) >= colons:
                break
            end += 1
        else:
            raise PromptFileError(f"the message ::: {role} is not closed", line=index + 1)
        content = "".join(lines[index + 1 : end])
        content = re.sub(r"(?:\r\n|\n|\r)\Z", "", content)
        messages.append((Message(role, content, step), index + 1))
        index = end + 1
    return messages


def _attributes(text: str, line: int) -> tuple[str, str | None]:
    step = None
    braced = _BRACED.match(text)
    role = braced.group("role") if braced else text
    if braced:
        for name, quoted, plain in _PAIR.findall(braced.group("rest")):
            if name != "step":
                raise PromptFileError(
                    f"unknown attribute {name!r}; the only one is step", line=line
                )
            step = quoted or plain
    if role not in ROLES:
        raise PromptFileError(
            f"unknown role {role[:40]!r}; allowed are {', '.join(ROLES)}", line=line
        )
    return role, step


def _prompt(head: dict[str, Any], messages: list[tuple[Message, int]], first: int) -> Prompt:
    task = head.get("task", "other")
    inputs = head.get("inputs") or []
    if task not in TASKS:
        raise PromptFileError(f"unknown task {task!r}; allowed are {', '.join(TASKS)}", line=2)
    if not isinstance(inputs, list) or not all(isinstance(i, str) for i in inputs):
        raise PromptFileError("inputs must be a list of names", line=2)
    settings = head.get("settings") or {}
    if not isinstance(settings, dict):
        raise PromptFileError("settings must be a mapping", line=2)
    try:
        checked = check_settings(settings)
        rows = [{"role": m.role, "content": m.content, "step": m.step} for m, _ in messages]
        parts = check_messages(rows)
    except DomainError as error:
        raise PromptFileError(error.message, line=first) from error
    return Prompt(parts, checked, str(head.get("name") or ""), task, tuple(inputs))


def write_prompt_file(prompt: Prompt) -> str:
    """The prompt file of a prompt; `parse_prompt_file` gives the same prompt back."""
    head: dict[str, Any] = {"nomikon": FORMAT, "name": prompt.name, "task": prompt.task}
    if prompt.settings:
        head["settings"] = dict(prompt.settings)
    if prompt.inputs:
        head["inputs"] = list(prompt.inputs)
    blocks = ["---\n" + yaml.safe_dump(head, sort_keys=False, allow_unicode=True) + "---\n"]
    for message in prompt.messages:
        # Lines as the reader splits them; a lone \r ends a line there too.
        starts = re.findall(r"(?:\A|(?<=[\r\n])):{3,}", message.content)
        fence = ":" * (max((len(c) for c in starts), default=2) + 1)
        # A step name with blanks needs quotes to stay one attribute.
        role = f'{{.{message.role} step="{message.step}"}}' if message.step else message.role
        # After a text that ends in \r a lone \n would be read as one line end with it.
        end = "\r\n" if message.content.endswith("\r") else "\n"
        blocks.append(f"{fence} {role}\n{message.content}{end}{fence}\n")
    return "\n".join(blocks)
