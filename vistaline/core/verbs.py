"""Edits by name: document -> new document, each a function whose arguments are checked."""

from __future__ import annotations

import inspect
import json
import re
from collections.abc import Callable, Mapping
from functools import wraps
from typing import Any, Generic, TypeVar

from pydantic import BeforeValidator, ConfigDict, ValidationError, validate_call
from pydantic_core import PydanticCustomError

from vistaline.core.errors import CoreError, EditError, ShotError
from vistaline.core.explaining import explain

__all__ = ["FROM_JSON", "Verbs"]

Document = TypeVar("Document")


def _from_json(value: Any) -> Any:
    if not isinstance(value, str):
        return value
    try:
        return json.loads(value)
    except ValueError as error:
        raise PydanticCustomError("json", "must be JSON") from error


FROM_JSON = BeforeValidator(_from_json)
"""For arguments that are more than a number or a word: a form sends them as JSON."""


_LARGEST = 1e12


def _sensible(argument: str, value: Any) -> None:
    """Refuse a number beyond anything a person means: what is computed from it would overflow."""
    if isinstance(value, int | float) and not abs(value) <= _LARGEST:
        words = argument.replace("_", " ").capitalize()
        rule = "is no number that can be used here. Type a smaller one."
        raise EditError(f"{words} {rule}", field=argument, rule=rule)


class Verbs(Generic[Document]):
    """The edits of one kind of document."""

    def __init__(self) -> None:
        self.functions: dict[str, Callable[..., Document]] = {}
        self._labels: dict[str, str] = {}

    def verb(self, label: str) -> Callable[[Callable[..., Document]], Callable[..., Document]]:
        """Register an edit under its function's name, with the words undo shows for it."""

        def register(function: Callable[..., Document]) -> Callable[..., Document]:
            # Inside the check of types: a name or a title may read like a number.
            @wraps(function)
            def bounded(document: Document, **arguments: Any) -> Document:
                for argument, value in arguments.items():
                    _sensible(argument, value)
                return function(document, **arguments)

            checked = validate_call(config=ConfigDict(allow_inf_nan=False))(bounded)
            self.functions[function.__name__] = checked
            self._labels[function.__name__] = label
            return function

        return register

    def takes(self, name: str, argument: str) -> bool:
        """Whether an edit has an argument of this name."""
        function = self.functions.get(name)
        return function is not None and argument in inspect.signature(function).parameters

    def label(self, name: str) -> str:
        """Return what undo calls an edit."""
        return self._labels[name]

    def apply(self, document: Document, name: str, arguments: Mapping[str, Any]) -> Document:
        """Make the edit called ``name`` with plain values, such as a form gives.

        Raises
        ------
        EditError
            There is no such edit, an argument is missing or wrong, or it makes no sense here.
        """
        if name not in self.functions:
            raise EditError(f"There is no edit called {name!r}.")
        try:
            return self.functions[name](document, **dict(arguments))
        except ValidationError as error:
            raise _refusal(explain(error)) from error
        except ShotError as error:
            raise _refusal(error) from error
        except EditError:
            raise
        except CoreError as error:
            raise EditError(str(error)) from error


_ALONG = {"position": ("across", "up", "forward")}
"""What people call the numbers of a value that has several."""


def _refusal(error: ShotError) -> EditError:
    """Return a refusal that names the value as a person would, not by its place in a document."""
    # The arguments of a call are counted; what a person knows is their name.
    place, message = (re.sub(r"^\d+\.", "", each) for each in (error.field, str(error)))
    if not place or not message.startswith(f"{place} "):
        return EditError(message[:1].upper() + message[1:])
    *_, name = (part for part in place.split(".") if not part.isdigit())
    number = place.rpartition(".")[2]
    words = name.replace("_", " ")
    if name in _ALONG and number.isdigit():
        words = _ALONG[name][int(number)]
        # Its limits are the same both ways, and it may be kept with the other sign.
        rule = "is farther than anything can be put here. Type a smaller number."
        return EditError(f"{words.capitalize()} {rule}", field=words, rule=rule)
    rule = message.removeprefix(f"{place} ").replace(
        "is missing; it must be given", "needs a value"
    )
    rule = (
        rule.replace("must be greater than", "must be above")
        .replace("must be less than or equal to", "can be at most")
        .replace("must be above or equal to", "must be at least")
    )
    # What a form sends is text; a person typed a number.
    rule = re.sub(r"got '([-+.\d]+)'\.$", r"got \1.", rule)
    return EditError(f"{words.capitalize()} {rule}", field=name, rule=rule)
