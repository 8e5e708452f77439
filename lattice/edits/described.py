"""An edit as one definition: its function, its arguments, its words. `edit` puts it into the registry."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from lattice.edits.arguments import REQUIRED, Argument, Flag, Form, Pieces
from lattice.edits.same_sound import refuse_other_sound
from lattice.errors import EditError
from lattice.model.document import Template

Function = TypeVar("Function", bound=Callable[..., Template])
Words = str | Callable[[Template, dict[str, Any]], str]
Permission = Literal["edit", "waive"]
# For an edit that keeps the sound: ids of strips and stems whose sound it may change all the same.
MayChange = Callable[[Template, dict[str, Any]], Collection[str]]
ALLOW_CHANGE = Flag("allow_change", "even if the sound changes", default=False)


def nothing_else(_template: Template, _arguments: dict[str, Any]) -> Collection[str]:
    """An edit that keeps the sound everywhere."""
    return ()


@dataclass(frozen=True)
class Edit:
    """One way to change a template: `function(template, **arguments)` gives the template after it."""

    name: str
    function: Callable[..., Template]
    arguments: tuple[Argument, ...]
    says: Words
    permission: Permission
    keeps_sound: MayChange | None = None

    @property
    def of_chosen(self) -> bool:
        """Return whether it is done to the strips that are chosen."""
        return any(isinstance(argument, Pieces) and argument.name == "strips" for argument in self.arguments)

    def read(self, form: Form, template: Template) -> dict[str, Any]:
        """The arguments with a form field.

        Parameters
        ----------
        form
            Posted values: name → values.
        template
            The template that ids and units are read against.

        Returns
        -------
        dict
            Plain values by name; fields missing from the form have their default.

        Raises
        ------
        EditError
            With a sentence for the user.
        """
        needed = (a for a in self.arguments if a.default is REQUIRED or a.given(form))
        return {argument.name: argument.read(form, template) for argument in needed}

    def apply(self, before: Template, arguments: dict[str, Any]) -> Template:
        """The template after the edit, not yet validated.

        Raises
        ------
        EditError
            Where the arguments are not those it takes, where it cannot be made, or where it promises to keep the
            sound, would not, and `allow_change` is not given.
        """
        self.check(arguments)
        if self.keeps_sound is None:
            return self.function(before, **arguments)
        arguments = dict(arguments)
        is_allowed = arguments.pop(ALLOW_CHANGE.name, False)
        after = self.function(before, **arguments)
        if not is_allowed:
            refuse_other_sound(before, after, self.keeps_sound(before, arguments))
        return after

    def words(self, template: Template, arguments: dict[str, Any]) -> str:
        """The edit as text for the history."""
        arguments = {a.name: a.default for a in self.arguments} | arguments
        if not isinstance(self.says, str):
            return self.says(template, arguments)
        named = (argument for argument in self.arguments if f"{{{argument.name}}}" in self.says)
        said = {a.name: a.said(arguments[a.name], template) for a in named}
        return self.says.format(**said)

    def check(self, arguments: dict[str, Any]) -> None:
        """Raises EditError where plain arguments are not those it takes."""
        known = {argument.name: argument for argument in self.arguments}
        problems = [f"unknown argument {name}" for name in arguments if name not in known]
        for name, argument in known.items():
            if name in arguments:
                problem = argument.problem(arguments[name])
                problems += [f"{name}: {problem}"] if problem else []
            elif argument.default is REQUIRED:
                problems.append(f"{name} is missing")
        if problems:
            raise EditError(*problems)


EDITS: dict[str, Edit] = {}


def edit(
    *arguments: Argument, says: Words, permission: Permission = "edit", keeps_sound: MayChange | None = None
) -> Callable[[Function], Function]:
    """Registers a function as the edit of its name.

    This is the only place where an edit is described: forms, parsing, previews, history texts and the permission follow
    from it. The function itself takes plain values, so it does not describe its parameters again.

    Parameters
    ----------
    *arguments
        One for each parameter of the function behind `template`, in its order.
    says
        Its text for the history: a sentence with arguments in braces, or a function of (template, arguments).
    permission
        The permission it needs.
    keeps_sound
        For an edit that preserves the sound: the changes it may still make (`nothing_else`: none). It then has one more
        argument, `allow_change`; without it, a changed sound refuses the edit.

    Raises
    ------
    ValueError
        Where the arguments are not the function's parameters, or their defaults differ.
    """

    def register(function: Function) -> Function:
        parameters = list(inspect.signature(function).parameters.values())[1:]
        described = [(argument.name, argument.default) for argument in arguments]
        empty = inspect.Parameter.empty
        taken = [(p.name, REQUIRED if p.default is empty else p.default) for p in parameters]
        if described != taken:
            raise ValueError(f"{function.__name__} takes {taken}, described are {described}")
        taken_by_form = (*arguments, ALLOW_CHANGE) if keeps_sound else arguments
        EDITS[function.__name__] = Edit(function.__name__, function, taken_by_form, says, permission, keeps_sound)
        return function

    return register
