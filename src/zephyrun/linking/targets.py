"""From what a person points at to the thing that bears the name there."""

from __future__ import annotations

from zephyrun.facts import Binding, ScopeKind
from zephyrun.languages.python.places import mangled_name
from zephyrun.link_facts import AttributeUse, ImportUse, KeywordUse, OriginSort
from zephyrun.linking.fixtures import asks_for_fixtures, fixture_for
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.usage import Target, TargetSort
from zephyrun.linking.value_sorts import ClassKey, Value, ValueSort, Values
from zephyrun.linking.values import Evaluator


class NoTarget(ValueError):
    """Nothing that could be renamed is there; the message says why."""


class FixedTarget(NoTarget):
    """There is a name, and it has to stay as it is, or nothing tells what it is the name of."""


def target_at(evaluator: Evaluator, path: str, offset: int) -> Target:
    """What bears the name at an offset of a file. Errors: `NoTarget`."""
    file = evaluator.linkage.file(path)
    if file is None:
        raise NoTarget(f"{path} cannot be read as Python")
    for use in file.links.attributes:
        if use.start <= offset < use.end:
            return _target_of_attribute(evaluator, file, use)
    for keyword in file.links.keywords:
        if keyword.start <= offset < keyword.end:
            return _target_of_keyword(evaluator, file, keyword)
    for imported in file.links.imports:
        if (found := _target_of_import(evaluator, file, imported, offset)) is not None:
            return found
    for reference in file.facts.references:
        if reference.start <= offset < reference.end:
            return target_of_binding(evaluator, file, reference.binding)
    for number, record in enumerate(file.links.classes):
        for field in record.fields:
            if field.start <= offset <= field.end:
                return Target(TargetSort.MEMBER, path, field.name, number, spelling=field.name)
    raise NoTarget("no name of the program stands there; point at any letter of one")


def target_named(evaluator: Evaluator, dotted: str) -> Target:
    """What a dotted name means. Errors: `NoTarget`."""
    linkage = evaluator.linkage
    parts = dotted.split(".")
    for count in range(len(parts), 0, -1):
        module = ".".join(parts[:count])
        path = linkage.find_module(module)
        if path is None:
            if linkage.is_package(module) and count == len(parts):
                return Target(TargetSort.MODULE, "", module)
            continue
        file = linkage.file(path)
        if count == len(parts):
            return Target(TargetSort.MODULE, path, module)
        if file is None:
            raise NoTarget(f"{path} cannot be read as Python")
        return target_inside(evaluator, file, parts[count:])
    raise NoTarget(f"no module of this project is called {parts[0]}")


def target_inside(evaluator: Evaluator, file: LinkedFile, parts: list[str]) -> Target:
    """What a name inside a module means, given with the names of what it stands in. Errors: `NoTarget`."""
    scope = 0
    where = file.module
    for position, name in enumerate(parts):
        is_last = position == len(parts) - 1
        alike = [
            index
            for index, binding in enumerate(file.facts.bindings)
            if binding.name in (name, _kept_name(file, scope, name))
            and not binding.outside
            and _is_inside(file, binding, scope)
        ]
        if is_last and file.facts.scopes[scope].kind is ScopeKind.CLASS and not alike:
            key = (file.path, file.links.class_by_scope[scope])
            kept = _kept_name(file, scope, name)
            for path, number in evaluator.above(key):
                if evaluator.class_record((path, number)).has_field(name):
                    return Target(TargetSort.MEMBER, path, name, number, spelling=name)
            if any(_is_member(evaluator, other, use, key) for other, use in evaluator.writes(kept)):
                return Target(TargetSort.MEMBER, file.path, kept, key[1], spelling=name)

        if not alike:
            raise NoTarget(f"there is no `{name}` in {where}")
        if is_last:
            if len({file.facts.bindings[each].scope for each in alike}) > 1:
                raise NoTarget(
                    f"several variables are called `{name}` in {where}; give path:line:column instead"
                )
            return target_of_binding(evaluator, file, alike[0])

        for index, record in enumerate(file.links.classes):
            is_last_but_one = position == len(parts) - 2
            if record.binding in alike and is_last_but_one and record.has_field(parts[-1]):
                return Target(TargetSort.MEMBER, file.path, parts[-1], index, spelling=parts[-1])
        inner = [
            each.inner_scope
            for each in file.facts.definitions
            if each.name == name and each.scope in _scopes_within(file, scope)
        ]
        if not inner:
            raise NoTarget(f"`{name}` in {where} holds no names of its own")
        scope = inner[0]
        where = f"{where}.{name}"
    raise NoTarget("no name was given")


def _kept_name(file: LinkedFile, scope: int, name: str) -> str:
    """What the language makes of a name in a scope."""
    is_class = file.facts.scopes[scope].kind is ScopeKind.CLASS
    return mangled_name(name, file.facts.scopes[scope].name) if is_class else name


def _is_inside(file: LinkedFile, binding: Binding, scope: int) -> bool:
    return binding.scope == scope or (
        file.facts.scopes[scope].kind is not ScopeKind.MODULE
        and file.facts.scopes[binding.scope].kind in (ScopeKind.COMPREHENSION, ScopeKind.LAMBDA)
        and file.facts.owner(binding.scope) == scope
    )


def _scopes_within(file: LinkedFile, scope: int) -> set[int]:
    """The scope and those of type parameters that stand in it."""
    return {scope} | {
        index
        for index, each in enumerate(file.facts.scopes)
        if each.kind is ScopeKind.TYPES and each.parent == scope
    }


def _is_member(evaluator: Evaluator, file: LinkedFile, use: AttributeUse, key: ClassKey) -> bool:
    relatives = evaluator.relatives(key)
    return any(
        value.sort in (ValueSort.INSTANCE, ValueSort.CLASS) and (value.path, value.number) in relatives
        for value in evaluator.values(file, use.receiver)
    )


def target_of_binding(evaluator: Evaluator, file: LinkedFile, binding: int) -> Target:
    """What a binding is, followed to where it was defined. Errors: `NoTarget`."""
    record = file.facts.bindings[binding]
    if record.outside:
        return _target_from_outside(evaluator, file, record.name)
    for imported in file.links.imports:
        if imported.binding == binding and not imported.has_alias:
            if (found := _followed(evaluator, file, imported)) is not None:
                return found
    kind = file.facts.scopes[record.scope].kind
    first = file.facts.references[record.references[0]]
    spelling = file.source.text[first.start : first.end]
    if kind is ScopeKind.MODULE:
        return Target(TargetSort.GLOBAL, file.path, record.name, spelling=spelling)
    if kind is ScopeKind.CLASS and record.scope in file.links.class_by_scope:
        index = file.links.class_by_scope[record.scope]
        return Target(TargetSort.MEMBER, file.path, record.name, index, spelling=spelling)
    for number, function in enumerate(file.links.functions):
        if any(parameter.binding == binding for parameter in function.parameters):
            fixture = fixture_for(evaluator, file, record.name) if asks_for_fixtures(file, function) else None
            if fixture is not None:
                return Target(TargetSort.GLOBAL, fixture[0].path, record.name)
            return Target(TargetSort.PARAMETER, file.path, spelling, binding, number)
    return Target(TargetSort.LOCAL, file.path, record.name, binding, spelling=spelling)


def _followed(evaluator: Evaluator, file: LinkedFile, use: ImportUse) -> Target | None:
    """What an import without an alias brings in, where that belongs to the project."""
    linkage = evaluator.linkage
    module = linkage.module_of_import(file, use)
    if not use.name:
        top = module.partition(".")[0]
        path = linkage.find_module(top, file.path)
        is_own = path is not None or linkage.is_package(top)
        return Target(TargetSort.MODULE, path or "", top) if is_own else None
    return _target_in_module(evaluator, file, module, use.name)


def _target_in_module(
    evaluator: Evaluator, file: LinkedFile, module: str, name: str
) -> Target | None:
    path = evaluator.linkage.find_module(module, file.path)
    # What is imported of everything there is asked next, in that order.
    along = evaluator.module_values.taking_along(path) if path is not None and path != file.path and evaluator.linkage.file(path) is not None else ()
    found = (_target_bound_in(evaluator, asking, taken, name) for asking, taken in [(file, module), *along])
    return next(filter(None, found), None)


def _target_bound_in(
    evaluator: Evaluator, file: LinkedFile, module: str, name: str
) -> Target | None:
    linkage = evaluator.linkage
    path = linkage.find_module(module, file.path)
    there = linkage.file(path) if path is not None else None
    if there is not None and name in there.module_bindings and there.path != file.path:
        return target_of_binding(evaluator, there, there.module_bindings[name])
    inner = f"{module}.{name}"
    if (inner_path := linkage.find_module(inner, file.path)) is not None or linkage.is_package(inner):
        return Target(TargetSort.MODULE, inner_path or "", inner)
    return None


def _target_from_outside(evaluator: Evaluator, file: LinkedFile, name: str) -> Target:
    for use in file.links.imports:
        if use.name == "*":
            module = evaluator.linkage.module_of_import(file, use)
            if (found := _target_in_module(evaluator, file, module, name)) is not None:
                return found
    raise FixedTarget(f"`{name}` comes from outside the project, so it has to keep its name")


def _target_of_import(
    evaluator: Evaluator, file: LinkedFile, use: ImportUse, offset: int
) -> Target | None:
    linkage = evaluator.linkage
    module = linkage.module_of_import(file, use)
    written = use.module.lstrip(".")
    if use.start <= offset < use.end:
        if use.name:
            if (found := _target_in_module(evaluator, file, module, use.name)) is not None:
                return found
            if use.has_alias or use.name == "*":
                raise FixedTarget(f"`{use.name}` comes from outside the project, so it has to keep its name")
            return None
        return _target_of_module_part(evaluator, file, module, use.start, offset, len(module))
    if use.module_start >= 0 and use.module_start <= offset < use.module_start + len(use.module):
        start = use.module_start + len(use.module) - len(written)
        return _target_of_module_part(evaluator, file, module, start, offset, len(written))
    return None


def _target_of_module_part(
    evaluator: Evaluator, file: LinkedFile, module: str, start: int, offset: int, length: int
) -> Target:
    """The module that the part of a dotted name at an offset stands for; of the name `length` letters
    are written, from `start` on."""
    written = module[len(module) - length :]
    end = written.find(".", max(offset - start, 0))
    shown = module[: len(module) - length] + (written if end < 0 else written[:end])
    path = evaluator.linkage.find_module(shown, file.path)
    if path is None and not evaluator.linkage.is_package(shown):
        raise FixedTarget(f"{shown} comes from outside the project, so it has to keep its name")
    return Target(TargetSort.MODULE, path or "", shown)


def _target_of_attribute(evaluator: Evaluator, file: LinkedFile, use: AttributeUse) -> Target:
    values = evaluator.values(file, use.receiver)
    classes = _classes_among(evaluator, values)
    if classes:
        key = classes[0]
        spelling = file.source.text[use.start : use.end]
        return Target(TargetSort.MEMBER, key[0], use.name, key[1], spelling=spelling)
    for value in values:
        if value.sort in (ValueSort.MODULE, ValueSort.PACKAGE):
            found = _target_in_module(evaluator, file, value.name, use.name)
            if found is not None:
                return found
    raise FixedTarget(
        f"what `{use.name}` belongs to is not known there; point at where it is defined, or give its "
        "dotted name"
    )


def _classes_among(evaluator: Evaluator, values: Values) -> list[ClassKey]:
    return [
        (value.path, value.number)
        for value in sorted(values, key=lambda each: (each.path, each.number))
        if value.sort in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)
        and evaluator.file(value.path).is_own
    ]


def _target_of_keyword(evaluator: Evaluator, file: LinkedFile, use: KeywordUse) -> Target:
    for value in evaluator.values(file, use.callee):
        if use.in_pattern and value.sort is ValueSort.CLASS:
            return Target(TargetSort.MEMBER, value.path, use.name, value.number)
        if (found := parameter_of(evaluator, value, use.name)) is not None:
            return found
        if value.sort is ValueSort.CLASS and evaluator.defines((value.path, value.number), use.name):
            return Target(TargetSort.MEMBER, value.path, use.name, value.number)
    raise FixedTarget(
        f"what takes the keyword `{use.name}` is not known there; point at where it is defined"
    )


def parameter_of(evaluator: Evaluator, callee: Value, name: str) -> Target | None:
    """The parameter of that name that calling something would fill."""
    for key in functions_called(evaluator, callee):
        for parameter in evaluator.function_record(key).parameters:
            if parameter.name == name:
                return Target(TargetSort.PARAMETER, key[0], name, parameter.binding, key[1])
    return None


def functions_called(evaluator: Evaluator, callee: Value) -> list[tuple[str, int]]:
    """The functions that calling a value may run first: itself, or what makes an instance."""
    own = (callee.path, callee.number)
    if callee.sort is ValueSort.FUNCTION:
        return [own]
    if callee.sort is ValueSort.INSTANCE:
        found = [each for key in evaluator.relatives(own) for each in _methods(evaluator, key, "__call__")]
        if "builtins.type" in evaluator.foreign_above(own):
            # An instance of a metaclass is a class.
            found += [each for key in _classes_of_metaclass(evaluator, own) for each in functions_making(evaluator, key)]
        return found
    if callee.sort is not ValueSort.CLASS:
        return []
    if callee.may_be_below:
        making = [functions_making(evaluator, key) for key in (own, *evaluator.below(own))]
        return list(dict.fromkeys(key for keys in making for key in keys))
    return functions_making(evaluator, own)


def functions_making(evaluator: Evaluator, own: tuple[str, int]) -> list[tuple[str, int]]:
    """The functions that a call of a class runs first."""
    found = _calls_of_metaclass(evaluator, own)
    for key in evaluator.above(own):
        making = [each for name in ("__init__", "__new__") for each in _methods(evaluator, key, name)]
        if making:
            return found + making
    return found


def _methods(evaluator: Evaluator, key: tuple[str, int], name: str) -> list[tuple[str, int]]:
    """The functions that stand in a class's body under a name."""
    binding = evaluator.binding_in(key, name)
    sources = evaluator.file(key[0]).links.sources.get(binding, ()) if binding is not None else ()
    return [(key[0], origin.binding) for origin in sources if origin.sort is OriginSort.DEFINED_FUNCTION]


@once_a_version
def _classes_of_metaclass(evaluator: Evaluator, metaclass: tuple[str, int]) -> list[tuple[str, int]]:
    """The classes of the project that a metaclass, or one below it, makes."""
    relatives = evaluator.relatives(metaclass)
    return [
        (file.path, index)
        for file in evaluator.linkage.deriving_files()
        for index in range(len(file.links.classes))
        if any(
            (value.path, value.number) in relatives
            for each in evaluator.above((file.path, index))
            if (origin := evaluator.class_record(each).metaclass) is not None
            for value in evaluator.values(evaluator.file(each[0]), origin)
        )
    ]


def _calls_of_metaclass(evaluator: Evaluator, key: tuple[str, int]) -> list[tuple[str, int]]:
    """What a metaclass of the project does when one of its classes is called."""
    return [
        method
        for each in evaluator.above(key)
        for origin in [evaluator.class_record(each).metaclass]
        if origin is not None
        for value in evaluator.values(evaluator.file(each[0]), origin)
        if value.sort is ValueSort.CLASS
        for meta in evaluator.relatives((value.path, value.number))
        for method in _methods(evaluator, meta, "__call__")
    ]


def renamed_target(evaluator: Evaluator, target: Target, new: str) -> Target:
    """A target under another name, in whichever version the evaluator is for."""
    if target.sort is TargetSort.MODULE:
        return target._replace(name=f"{target.name.rpartition('.')[0]}.{new}".strip("."))
    name = new
    if target.sort is TargetSort.MEMBER:
        name = mangled_name(new, evaluator.class_record((target.path, target.number)).name)
    return target._replace(name=name, spelling=new)
