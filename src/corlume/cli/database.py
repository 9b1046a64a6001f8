"""The settings and the database of a command, with words for what is wrong."""

from __future__ import annotations

import click
from pydantic import ValidationError

from corlume.formats.file_faults import in_words
from corlume.settings import Settings
from corlume.store.database import Database, Unusable


def settings() -> Settings:
    """The settings; ``ClickException`` names each that cannot be."""
    try:
        return Settings()
    except ValidationError as error:
        faults = "; ".join(f"CORLUME_{str(e['loc'][0]).upper()} {in_words(e)}" for e in error.errors())
        raise click.ClickException(faults) from error


def opened(*, demo: bool = False) -> Database:
    """The keeper's database, or the demo's; ``ClickException`` says why it cannot be used."""
    try:
        return Database(settings().data / ("demo.db" if demo else "corlume.db"))
    except Unusable as error:
        raise click.ClickException(str(error)) from error
