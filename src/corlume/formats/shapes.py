"""The shape of kept things in JSON files, by their declaration: to plain data, and from what pydantic has checked.

Values that a class keeps by a way of their own, and parts with several ways of being written, stand in a ``Special``.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, NamedTuple, TypeVar

from pydantic import AliasChoices, BaseModel, BeforeValidator, ConfigDict, ValidationError, create_model
from pydantic import Field as Shape

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.schema import UNSAID, Field, Item, Many, Own, Part, items, per_class
from corlume.formats.file_faults import BadFile, FileFault, path_of, shape_faults
from corlume.formats.measure import Measure
from corlume.formats.quantities import file_name, from_file, to_file

JsonNumber = Annotated[float, Shape(strict=True, allow_inf_nan=False)]
T = TypeVar("T")
Values = dict[tuple[type, str], Any]
"""Values of fields, by the class that declares them and their name."""


class FileShape(BaseModel):
    """Base of all shapes: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Build:
    """Builds core objects from a file and collects the core's objections, named as in the file."""

    def __init__(self) -> None:
        self.faults: list[FileFault] = []

    def __call__(self, where: str, make: Callable[..., T], *args: Any, **values: Any) -> T | None:
        """Core object, or None with its errors noted."""
        try:
            return make(*args, **values)
        except InvalidInput as error:
            self.faults += [_fault(where, make, e) for e in error.errors]
            return None

    def finish(self) -> None:
        """Raise ``BadFile`` when there were objections."""
        if self.faults:
            raise BadFile(self.faults)


@dataclass(frozen=True, slots=True)
class Special:
    """What of a class is not written by its declaration: pydantic fields, and how they go to data and back."""

    fields: Mapping[str, Any]
    write: Callable[[Any], dict[str, Any]]
    read: Callable[[Build, str, Any], Values]
    names: frozenset[str] = field(default_factory=frozenset)
    """Fields of the declaration that it stands for; those kept by a way of their own are left to it anyway."""


SPECIAL: dict[type, Special] = {}


class Slot(NamedTuple):
    """A declared field under its name in a file, the class that declares it, and the parts that lead to it."""

    name: str
    item: Item
    owner: type
    path: tuple[str, ...]


@per_class
def slots(cls: type) -> tuple[Slot, ...]:
    """Fields side by side in a file for a class: its own, and those of parts without a name there."""
    return tuple(_slots(cls, ()))


def _slots(cls: type, path: tuple[str, ...]) -> Iterator[Slot]:
    special = SPECIAL.get(cls)
    for item in items(cls):
        if special and item.name in special.names:
            continue
        match item.spec:
            case Field():
                yield Slot(file_name(item.name, item.spec), item, cls, path)
            case Part(file=""):
                yield from _slots(item.type, (*path, item.name))
            case Part(file=name) | Many(file=name):
                yield Slot(name or item.name, item, cls, path)


@per_class
def shape_of(cls: type) -> type[FileShape]:
    """Pydantic model of a class in files."""
    if cls not in SPECIAL and _has_own(cls):
        raise LookupError(f"nothing says how {cls.__name__} is written")
    made: dict[str, Any] = dict(SPECIAL[cls].fields) if cls in SPECIAL else {}
    nested: dict[str, dict[str, Any]] = {}
    for slot in slots(cls):
        outer, _, inner = slot.name.rpartition(".")
        (nested.setdefault(outer, {}) if outer else made)[inner] = _shape_of_slot(slot)
    for name, inside in nested.items():
        model = create_model(f"{name.capitalize()}File", __base__=FileShape, **inside)
        made[name] = (model, model())
    doc = " ".join((cls.__doc__ or "").partition("\n\n")[0].split())
    return create_model(f"{cls.__name__}File", __base__=FileShape, __doc__=doc, **made)


def _has_own(cls: type) -> bool:
    """Whether a class has values with a form of their own, directly or in parts without a name."""
    return any(isinstance(item.spec, Own) or (item.spec == Part() and _has_own(item.type)) for item in items(cls))


def _shape_of_slot(slot: Slot) -> tuple[Any, Any]:
    item, spec = slot.item, slot.item.spec
    if isinstance(spec, Many):
        return list[shape_of(item.type)], []  # type: ignore[misc]
    if isinstance(spec, Part):
        kind = shape_of(item.type)
        unsaid: Any = ... if item.default is UNSAID else None if item.optional else kind()
        return (kind | None if item.optional else kind), Shape(unsaid, validation_alias=_alias(slot, spec.formerly))
    assert isinstance(spec, Field)
    default = item.default if spec.blank is UNSAID else spec.blank
    if default is UNSAID:
        default = ...
    elif default is not None and spec.sort == "number":
        default = to_file(spec, default)
    about = spec.about or (spec.unit and f"[{spec.unit}]") or None
    kind = _kind_of(spec)
    return (kind | None if item.optional else kind), Shape(
        default, description=about, validation_alias=_alias(slot, *spec.formerly)
    )


def _alias(slot: Slot, *formerly: str) -> AliasChoices | None:
    """The name of a field, and those that older files have for it."""
    older = [name for name in formerly if name]
    return AliasChoices(slot.name.rpartition(".")[2], *older) if older else None


def _kind_of(spec: Field) -> Any:
    if spec.options is not None:
        options: Any = Literal[tuple(spec.options)]
        was = spec.was or {}
        return Annotated[options, BeforeValidator(lambda key: was.get(key, key) if isinstance(key, str) else key)]
    if spec.sort == "text":
        return Annotated[str, Shape(max_length=spec.most)]
    return {
        "number": JsonNumber, "whole": Annotated[int, Shape(strict=True)], "flag": bool, "date": datetime.date,
        "time": datetime.time,
    }[spec.sort]  # fmt: skip


def to_data(thing: Any) -> dict[str, Any]:
    """Kept thing as plain data for a file."""
    data: dict[str, Any] = {}
    for slot in slots(type(thing)):
        holder = thing
        for name in slot.path:
            holder = getattr(holder, name)
        outer, _, inner = slot.name.rpartition(".")
        (data.setdefault(outer, {}) if outer else data)[inner] = _written(slot.item, getattr(holder, slot.item.name))
    for cls, special in SPECIAL.items():
        if type(thing) is cls:
            data |= special.write(thing)
    return data


def _written(item: Item, value: Any) -> Any:
    match item.spec:
        case Many():
            return [to_data(one) for one in value]
        case Part():
            return None if value is None else to_data(value)
        case Field(sort="number") if value is not None:
            return to_file(item.spec, value)
        case Field(sort="date" | "time") if value is not None:
            return value.isoformat()
    return value


def from_data(build: Build, where: str, cls: type[T], file: Any, **given: Any) -> T | None:
    """Kept thing of a part of a file; None with its errors noted when the core objects.

    ``given`` are values that the file does not have.
    """
    values: Values = {}
    for slot in slots(cls):
        found = file
        for name in slot.name.split("."):
            found = getattr(found, name)
        values[slot.owner, slot.item.name] = _read(build, f"{where}.{slot.name}".lstrip("."), slot.item, found)
    if cls in SPECIAL:
        values |= SPECIAL[cls].read(build, where, file)
    return _made(build, where, cls, values, given)


def read_thing(cls: type[T], data: Any) -> T:
    """Kept thing of plain data from a file; ``BadFile`` otherwise."""
    try:
        file = shape_of(cls).model_validate(data)
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error
    build = Build()
    thing = from_data(build, "", cls, file)
    build.finish()
    assert thing is not None
    return thing


def read_things(cls: type[T], name: str, rows: Any, most: int) -> list[T]:
    """Kept things of a list in a file, of ``most`` entries; ``BadFile`` has every fault by its place under ``name``."""
    if not isinstance(rows, list) or len(rows) > most:
        raise BadFile([FileFault(name, f"must be a list of {most} at most")])
    found, faults = list[T](), list[FileFault]()
    for number, row in enumerate(rows):
        try:
            found.append(read_thing(cls, row))
        except BadFile as error:
            faults += [FileFault(f"{name}[{number}].{one.where}".rstrip("."), one.what) for one in error.faults]
    if faults:
        raise BadFile(faults[:20])
    return found


def _made(build: Build, where: str, cls: type[T], values: Values, given: Mapping[str, Any]) -> T | None:
    """Build a thing, the parts without a name in the file first."""
    own = dict(given)
    for item in items(cls):
        if isinstance(item.spec, Part) and not item.spec.file and item.name not in own:
            part = _made(build, where, item.type, values, {})
            if part is None:
                return None
            own[item.name] = part
        elif (cls, item.name) in values:
            value = values[cls, item.name]
            if value is None and not item.optional:
                if item.default is UNSAID:
                    return None
                continue  # its faults are noted; what it is by default stands in for it
            own[item.name] = value
    declared = {item.name for item in items(cls)}
    # what only a special way of writing has, such as the mesh of a rock
    own |= {name: value for (owner, name), value in values.items() if owner is cls and name not in declared}
    return build(where, cls, **own)


def _read(build: Build, where: str, item: Item, found: Any) -> Any:
    match item.spec:
        case Many():
            made = (from_data(build, f"{where}.{i}", item.type, row) for i, row in enumerate(found))
            return tuple(one for one in made if one is not None)
        case Part():
            return None if found is None else from_data(build, where, item.type, found)
        case Field(sort="number") if found is not None:
            return from_file(item.spec, found)
    return found


def _fault(where: str, make: Any, error: FieldError) -> FileFault:
    """The core's objection, at its place in the file."""
    path, cls = list[str](), make if isinstance(make, type) else None
    for part in error.field.split("."):
        named = place_of(cls, part) if cls and not part.isdigit() else None
        path += named[0] if named else [part]
        cls = named[1] if named else cls
    return FileFault(path_of([*(where.split(".") if where else []), *path]), Measure("cm").message(error))


def place_of(cls: type, name: str) -> tuple[list[str], type | None] | None:
    """Place of a field of a class in its file, and the class of its content; None for an unknown name."""
    for item in items(cls):
        spec = item.spec
        if item.name == name:
            inside = item.type if isinstance(spec, Part | Many) else None
            written = file_name(name, spec) if isinstance(spec, Field) else spec.file or name
            return ([] if isinstance(spec, Part) and not spec.file else written.split(".")), inside
        if isinstance(spec, Part) and (found := place_of(item.type, name)):
            return [*filter(None, spec.file.split(".")), *found[0]], found[1]
    return None
