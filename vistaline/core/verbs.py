"""Edits by name: document -> new document, each a function whose arguments are checked."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from functools import wraps
from typing import Any, Generic, TypeVar

from pydantic import BeforeValidator, ConfigDict, ValidationError, validate_call
from pydantic_core import PydanticCustomError

from vistaline.core.errors import CoreError, EditError
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
        raise EditError(f"{words} is no number that can be used here. Type a smaller one.")


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
            # The arguments of a call are counted; what a person knows is their name.
            message = re.sub(r"^\d+\.", "", str(explain(error)))
            message = re.sub(r"^([a-z_]+)", lambda m: m[1].replace("_", " "), message)
            raise EditError(message[:1].upper() + message[1:]) from error
        except EditError:
            raise
        except CoreError as error:
            raise EditError(str(error)) from error
