"""What the heads of a file's classes name, and what those names may be, without reading the rest of it: so that
what stands below a class is found among few files of many."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from zephyrun.languages.python.links import GIVING_INSTANCES, MAKING_CLASSES
from zephyrun.languages.python.reading import tree_in, without_collector
from zephyrun.languages.python.walk import all_arguments
from zephyrun.link_facts import BoundNames, ClassHead, ClassHeads, Dotted, WrittenBase
from zephyrun.linking.glances import glance
from zephyrun.patterns import lazy_pattern

_NAMING_WITHIN = b":="
_NAMED_WITHIN = lazy_pattern(rb"(\w+)\s*:=")
# Where going through something gives an attribute a value.
_WRITTEN_BY_LOOP = lazy_pattern(rb"\bfor[ \t]+(?:(?!in\b)[\w ,()*])*\.(?:(?!in\b)[\w ,()*.])*\bin\b")
# Decorators under which a method gets its own instance or class.
_LEAVING_OWN = frozenset((word,) for word in (*GIVING_INSTANCES, "classmethod"))
_WITHOUT_INSTANCE = (("staticmethod",), ("classmethod",))
_ACCESSORS = (("setter",), ("getter",), ("deleter",))
_MAKES_BY_CALL = lazy_pattern(rb"\b(?:%b)\s*(?:\(|as\b)" % "|".join(sorted(MAKING_CLASSES)).encode())


@glance
def class_heads_in(data: bytes) -> ClassHeads | None:
    """The heads of a file's classes and what its names may be; `None` where it cannot be read."""
    with without_collector():
        tree = tree_in(data)
        if tree is None:
            return None
        named = _NAMED_WITHIN.findall(data) if _NAMING_WITHIN in data else ()
        reader = _HeadReader({name.decode() for name in named})
        reader.read(tree.body, reader.of_module)
        if _WRITTEN_BY_LOOP.search(data) is not None:
            reader.read_loops(tree)
        if _MAKES_BY_CALL.search(data) is not None:
            reader.read_calls(tree)
    return reader.all_seen()


class _Scope:
    """The names that are bound in a module, or in what stands inside it."""

    def __init__(self) -> None:
        self.classes: set[str] = set()
        self.imports: dict[str, set[tuple[str, str]]] = {}
        self.names: dict[str, set[WrittenBase]] = {}
        self.plain: set[str] = set()
        self.others: set[str] = set()

    def add(self, other: _Scope, names: set[str]) -> None:
        """Bind some names as another scope does."""
        self.classes |= other.classes & names
        self.plain |= other.plain & names
        self.others |= other.others & names
        # What a name means that stands in another scope is not told by names.
        self.others |= other.names.keys() & names
        for name in names & other.imports.keys():
            self.imports.setdefault(name, set()).update(other.imports[name])

    def as_record(self) -> BoundNames:
        """All of it."""
        imports = {name: tuple(sorted(found)) for name, found in sorted(self.imports.items())}
        names = {name: tuple(sorted(found)) for name, found in sorted(self.names.items())}
        return BoundNames(frozenset(self.classes), imports, names, frozenset(self.plain), frozenset(self.others))


@dataclass
class _Method:
    """What the method under way calls its own instance, whether something else gets that name in it, and the attributes that
    it gives by it."""

    own: str = ""
    is_rebound: bool = False
    written: set[str] = field(default_factory=set)

    def bind(self, name: str) -> None:
        """Take note that a name gets a value in it."""
        self.is_rebound = self.is_rebound or name == self.own


class _HeadReader:
    """Goes through the statements of a file, and leaves expressions aside."""

    def __init__(self, named: set[str]) -> None:
        """`named` are the names that are bound in the midst of expressions, in whatever scope."""
        self._named = named
        self.of_module = _Scope()
        self._inside = _Scope()
        self.of_module.others |= named
        self._inside.others |= named
        self._heads: list[ClassHead] = []
        self._stars: set[str] = set()
        self._written: set[str] = set()
        self._global: set[str] = set()
        self._parameters: set[str] = set()
        self._method = _Method()
        self._written_to_own: set[str] = set()
        self._methods: dict[str, set[str]] = {}

    def all_seen(self) -> ClassHeads:
        """What was found; of the names inside only those that a head may mean."""
        imported = self.of_module.imports.keys() | self._inside.imports.keys()
        given = self._parameters | self._inside.others | self._inside.plain | self._inside.names.keys()
        self._inside.others |= self._parameters
        self.of_module.add(self._inside, self._global)
        inside = _Scope()
        inside.add(self._inside, {base.words[0] for head in self._heads for base in head.bases if base.words})
        return ClassHeads(
            tuple(self._heads),
            self.of_module.as_record(),
            inside.as_record(),
            tuple(sorted(self._stars)),
            frozenset(self._written),
            frozenset(self._written_to_own),
            frozenset(imported & given),
            {name: frozenset(found) for name, found in sorted(self._methods.items())},
        )

    def read(self, statements: Sequence[ast.stmt], scope: _Scope) -> None:
        """Go through a block."""
        for statement in statements:
            self._read_statement(statement, scope)

    def _read_statement(self, statement: ast.stmt, scope: _Scope) -> None:
        if isinstance(statement, ast.ClassDef):
            self._read_class(statement, scope)
        elif isinstance(statement, ast.FunctionDef | ast.AsyncFunctionDef):
            self._bind_function(statement, scope)
            self._read_function(statement)
        elif isinstance(statement, ast.Import):
            for alias in statement.names:
                # `import yard.log` binds what stands before the first dot.
                top = alias.name.partition(".")[0]
                self._take(scope, alias.asname or top, alias.name if alias.asname else top, "")
        elif isinstance(statement, ast.ImportFrom):
            self._read_import(statement, scope)
        elif isinstance(statement, ast.Global):
            self._global.update(statement.names)
        else:
            self._read_other(statement, scope)

    def _read_other(self, statement: ast.stmt, scope: _Scope) -> None:
        """What a statement binds or holds that is none of the plain ones."""
        if isinstance(statement, ast.Assign | ast.AnnAssign) and statement.value is not None:
            self._read_assignment(statement, statement.value, scope)
            return
        for name, value in ast.iter_fields(statement):
            if name in ("target", "targets", "name"):
                self._bind(value, scope)
            elif isinstance(value, list):
                for each in value:
                    self._read_part(each, scope)

    def _read_part(self, part: object, scope: _Scope) -> None:
        if isinstance(part, ast.stmt):
            self._read_statement(part, scope)
        elif isinstance(part, ast.withitem):
            self._bind(part.optional_vars, scope)
        elif isinstance(part, ast.ExceptHandler):
            self._bind(part.name, scope)
            self.read(part.body, scope)
        elif isinstance(part, ast.match_case):
            self._read_pattern(part.pattern, scope)
            self.read(part.body, scope)

    def _read_pattern(self, pattern: ast.pattern, scope: _Scope) -> None:
        for each in ast.walk(pattern):
            if isinstance(each, ast.MatchAs | ast.MatchStar):
                self._bind(each.name, scope)
            elif isinstance(each, ast.MatchMapping):
                self._bind(each.rest, scope)

    def _read_assignment(self, statement: ast.Assign | ast.AnnAssign, value: ast.expr, scope: _Scope) -> None:
        targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
        written = WrittenBase(_words_of(value)) if not self._title_of_made(value) else self._as_written(value)
        for each in targets:
            if not isinstance(each, ast.Name) or not (written.words or isinstance(value, ast.Constant)):
                self._bind(each, scope)
                continue
            self._method.bind(each.id)
            if written.words:
                scope.names.setdefault(each.id, set()).add(written)
            else:
                scope.plain.add(each.id)

    def _bind_function(self, statement: ast.FunctionDef | ast.AsyncFunctionDef, scope: _Scope) -> None:
        self._method.bind(statement.name)
        # A decorator may make a class of it.
        (scope.others if statement.decorator_list else scope.plain).add(statement.name)

    def _bind(self, target: object, scope: _Scope) -> None:
        """Note what stands where something gets a value."""
        if isinstance(target, ast.Name):
            self._bind(target.id, scope)
        elif isinstance(target, str):
            self._method.bind(target)
            scope.others.add(target)
        elif isinstance(target, ast.Attribute):
            is_own = isinstance(target.value, ast.Name) and target.value.id == self._method.own
            (self._method.written if is_own else self._written).add(target.attr)
        elif isinstance(target, ast.Starred):
            self._bind(target.value, scope)
        elif isinstance(target, ast.Tuple | ast.List):
            self._bind(target.elts, scope)
        elif isinstance(target, list):
            for each in target:
                self._bind(each, scope)

    def _read_class(self, statement: ast.ClassDef, scope: _Scope) -> None:
        self._method.bind(statement.name)
        scope.classes.add(statement.name)
        if statement.bases:
            self._heads.append(ClassHead(statement.name, tuple(map(self._as_written, statement.bases)), scope is self._inside))
        self._read_type_parameters(statement)
        around, self._method = self._method, _Method()
        used = _names_used_in_body(statement)
        for each in statement.body:
            if isinstance(each, ast.FunctionDef | ast.AsyncFunctionDef):
                self._bind_function(each, self._inside)
                if not any(_words_of(given)[-1:] in _WITHOUT_INSTANCE for given in each.decorator_list):
                    self._methods.setdefault(statement.name, set()).add(each.name)
                self._read_method(each, is_used=each.name in used)
            else:
                self._read_statement(each, self._inside)
        self._method = around

    def _read_method(self, statement: ast.FunctionDef | ast.AsyncFunctionDef, *, is_used: bool) -> None:
        """A method; one that `is_used` in the body of its class may be called there, with anything."""
        own = _own_of_method(statement)
        self._method = method = _Method("" if is_used or own in self._named else own)
        self._read_function(statement, is_method=True)
        # Where something else gets that name, too, it may be anything.
        (self._written if method.is_rebound else self._written_to_own).update(method.written)
        self._method = _Method()

    def _read_function(self, statement: ast.FunctionDef | ast.AsyncFunctionDef, *, is_method: bool = False) -> None:
        names = {each.arg for each in all_arguments(statement.args)}
        self._parameters |= names
        self._read_type_parameters(statement)
        around = self._method
        if around.own in names and not is_method:
            self._method = _Method()
        self.read(statement.body, self._inside)
        self._method = around

    def _read_type_parameters(self, statement: ast.stmt) -> None:
        self._inside.others.update(each.name for each in getattr(statement, "type_params", ()))

    def _read_import(self, statement: ast.ImportFrom, scope: _Scope) -> None:
        module = "." * statement.level + (statement.module or "")
        for alias in statement.names:
            if alias.name == "*":
                self._stars.add(module)
            else:
                self._take(scope, alias.asname or alias.name, module, alias.name)

    def _take(self, scope: _Scope, name: str, module: str, member: str) -> None:
        self._method.bind(name)
        scope.imports.setdefault(name, set()).add((module, member))

    def read_loops(self, tree: ast.Module) -> None:
        """Note the attributes to which comprehensions give values."""
        for node in ast.walk(tree):
            if isinstance(node, ast.comprehension) and not isinstance(node.target, ast.Name):
                self._bind(node.target, self._inside)

    def read_calls(self, tree: ast.Module) -> None:
        """Note the classes that calls make."""
        for node in ast.walk(tree):
            if (title := self._title_of_made(node)) and isinstance(node, ast.Call):
                self._heads.append(ClassHead(title, (WrittenBase(_words_of(node.func)),), True))

    def _as_written(self, base: ast.expr) -> WrittenBase:
        """A base: of a generic one (`Log[Row]`) what stands before the bracket."""
        if (title := self._title_of_made(base)) and isinstance(base, ast.Call):
            return WrittenBase(_words_of(base.func), title)
        return WrittenBase(_words_of(base.value if isinstance(base, ast.Subscript) else base))

    def _title_of_made(self, node: ast.AST) -> str:
        """What a call that makes a class calls it (`namedtuple("Row", "kg day")`); "" for everything else."""
        if not isinstance(node, ast.Call) or len(node.args) < len(("title", "fields")):
            return ""
        words = _words_of(node.func)
        title = node.args[0]
        is_making = bool(words) and not self._called_by_library(words[-1]).isdisjoint(MAKING_CLASSES)
        return title.value if is_making and isinstance(title, ast.Constant) and isinstance(title.value, str) else ""

    def _called_by_library(self, name: str) -> set[str]:
        """A name, and those under which it was imported."""
        imported = (scope.imports.get(name, set()) for scope in (self.of_module, self._inside))
        return {name, *(member for found in imported for _, member in found)}


def _own_of_method(statement: ast.FunctionDef | ast.AsyncFunctionDef) -> str:
    """What a method calls its own instance or class; "" where that may be anything."""
    first = next(iter([*statement.args.posonlyargs, *statement.args.args]), None)
    is_plain = all(_words_of(each)[-1:] in _LEAVING_OWN for each in statement.decorator_list)
    return "" if first is None or first.annotation is not None or not is_plain else first.arg


def _names_used_in_body(statement: ast.ClassDef) -> set[str]:
    """The names that the body of a class mentions itself, outside its methods."""
    parts: list[ast.AST] = []
    for each in statement.body:
        if isinstance(each, ast.FunctionDef | ast.AsyncFunctionDef):
            # An accessor of a property (`@weight.setter`) is named alike.
            decorators = [given for given in each.decorator_list if _words_of(given)[1:] not in _ACCESSORS]
            parts += [*decorators, each.args, *filter(None, [each.returns])]
        else:
            parts.append(each)
    return {node.id for part in parts for node in ast.walk(part) if isinstance(node, ast.Name)}


def _words_of(value: ast.expr) -> Dotted:
    words = tuple(_words_backwards(value))[::-1]
    # What begins with two underscores is called otherwise where it is in a class.
    return () if "" in words or any(word.startswith("__") for word in words) else words


def _words_backwards(value: ast.expr) -> Iterator[str]:
    while isinstance(value, ast.Attribute):
        yield value.attr
        value = value.value
    yield value.id if isinstance(value, ast.Name) else ""
