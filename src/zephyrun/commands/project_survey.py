"""The survey of a project, or of a part of it: from paths to findings, with what is known already."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING

from zephyrun.commands import options
from zephyrun.decisions import Decisions, Note, read_decisions
from zephyrun.findings import KINDS, FileSurvey, Finding, survey_source
from zephyrun.findings.summary import (
    Summary,
    findings_from_text,
    findings_to_text,
    summarize,
    summary_from_text,
    summary_to_text,
)
from zephyrun.languages.python.reading import without_collector
from zephyrun.layout.habits import Habits
from zephyrun.naming.word_choices import WordChoices
from zephyrun.project.audience import is_library
from zephyrun.project.discovery import Sources, find_sources, read_content, read_project
from zephyrun.project.left_out import LeftOut, reason_to_leave_out
from zephyrun.project.roots import find_root
from zephyrun.project.settings import Settings, Words, read_settings
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.surroundings import find_surroundings

if TYPE_CHECKING:
    from zephyrun.commands.adviser import Adviser
    from zephyrun.findings.naming import Advice
    from zephyrun.linking.linkage import Content
    from zephyrun.project.cache import Cache


@dataclass(frozen=True)
class Survey:
    """What was looked at and what was found. `contents` holds each file's bytes by path, and `everything` all of the
    project that was read; `n_declined` counts findings that the team wants nothing done about."""

    root: Path
    summary: Summary
    contents: Mapping[str, bytes]
    everything: Mapping[str, Content]
    n_declined: int
    notes: tuple[Note, ...]
    _load: Callable[[], tuple[Finding, ...]] = field(repr=False)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """The findings of all files, worst first. A report of the worst ones does not need them."""
        return self._load()


def survey_paths(
    paths: Sequence[Path],
    kinds: Sequence[str],
    jobs: int,
    since: str | None = None,
    adviser: Adviser | None = None,
) -> Survey:
    """Survey every source file at or below the paths, in the order of their names.

    With `since`, only findings on lines that are new since that revision count; an `adviser` is asked for more
    names. Errors: `UserError`
    for paths that cannot be surveyed, and for a revision that is none.
    """
    root = find_root(paths)
    options.recover(root)
    decisions = read_decisions(root)
    reading = _Reading(
        root, find_sources(paths, root), read_settings(root), tuple(kinds), jobs, has_names=bool(decisions.names)
    )
    if adviser is not None:
        reading.advice = adviser.about(reading.contents)
    if since is None and not decisions.declined and adviser is None:
        summary, load = reading.known_or_found()
        return Survey(root, summary, reading.contents, reading.everything, 0, decisions.notes, load)
    surveyed = reading.survey_files()
    if since is not None:
        # Imported here: few surveys ask version control, and start-up should stay fast.
        from zephyrun.project.repository import find_repository

        surveyed = _on_new_lines(surveyed, find_repository(root).changed_lines(since))
    n_found = sum(len(survey.findings) for survey in surveyed)
    undecided = [_undecided(survey, decisions) for survey in surveyed]
    summary, findings = summarize(undecided, reading.left_out)
    n_declined = n_found - len(findings)
    return Survey(root, summary, reading.contents, reading.everything, n_declined, decisions.notes, lambda: findings)


class _Reading:
    """The files of one survey, and what the cache knows about them."""

    def __init__(
        self,
        root: Path,
        sources: Sources,
        settings: Settings,
        kinds: tuple[str, ...],
        jobs: int,
        *,
        has_names: bool,
    ) -> None:
        """`has_names` where the project remembers names that were given."""
        self.root = root
        self._is_library = is_library(root, settings)
        self._sources = sources
        self._settings = settings
        self._kinds = kinds
        self._jobs = jobs
        # Where somebody outside proposes more names.
        self.advice: Advice | None = None
        self._has_names = has_names
        self.everything = read_project(root)
        # Only what ignore files leave out and somebody named is not in the read set.
        self.everything.update(
            (name, read_content(root / name)) for name in sources.files if name not in self.everything
        )
        # A cache for little would cost more than it saves, and leave something behind.
        n_bytes = sum(len(self.everything[name]) for name in sources.files)
        self._cache = _open_cache(root) if n_bytes >= options.WORTH_A_CACHE else None

    @cached_property
    def _content_keys(self) -> dict[str, str]:
        """What stands for each content; for a file that was not read, why."""
        from zephyrun.project.cache import content_key

        return {
            name: content_key(data) if isinstance(data, bytes) else data
            for name, data in self.everything.items()
        }

    @cached_property
    def left_out(self) -> dict[str, str]:
        """Files that are only read, by path, and why."""
        found: dict[str, str] = dict.fromkeys(self._sources.inner_projects, LeftOut.PROJECT)
        for name in self._sources.files:
            data = self.everything[name]
            if self._settings.leaves_out(name):
                found[name] = LeftOut.SETTINGS
            elif isinstance(data, bytes):
                if (reason := reason_to_leave_out(name, data, self._sources.named)) is not None:
                    found[name] = reason
        return dict(sorted(found.items()))

    @cached_property
    def contents(self) -> dict[str, bytes]:
        """The files that the survey is about, as far as they could be read."""
        return {
            name: data
            for name in self._sources.files
            if isinstance(data := self.everything[name], bytes)
        }

    def known_or_found(self) -> tuple[Summary, Callable[[], tuple[Finding, ...]]]:
        """The summary, and what loads all findings. When no file has changed, both are known."""
        if self._cache is None:
            summary, findings = self._found()
            return summary, lambda: findings
        from zephyrun.project.cache import joint_key

        key = joint_key(
            "survey",
            self._kinds,
            self._settings,
            self._words.as_text(),
            self._is_library,
            self._sources,
            sorted(self._content_keys.items()),
        )
        known = self._cache.get([key]).get(key)
        if known is not None:
            # What cannot be read is found anew.
            with suppress(ValueError, TypeError, LookupError):
                return summary_from_text(known), lambda: self._known_findings(f"{key} all")
        summary, findings = self._found()
        self._cache.put(
            {key: summary_to_text(summary), f"{key} all": findings_to_text(findings)}
        )
        return summary, lambda: findings

    def _known_findings(self, key: str) -> tuple[Finding, ...]:
        assert self._cache is not None, "only asked for what came from it"
        with suppress(ValueError, TypeError, LookupError):
            return findings_from_text(self._cache.get([key])[key])
        return self._found()[1]

    def _found(self) -> tuple[Summary, tuple[Finding, ...]]:
        return summarize(self.survey_files(), self.left_out)

    def survey_files(self) -> list[FileSurvey]:
        """What was found in each file, and which could not be read, in the order of their paths."""
        with without_collector():
            surroundings = find_surroundings(
                self.everything,
                self._settings.import_roots,
                is_library=self._is_library,
                harmless_readers=self._settings.harmless_readers,
            )
            items = [
                (name, data, surroundings.get(name, Surroundings()))
                for name, data in self.contents.items()
                if name not in self.left_out
            ]
            keys = self._keys(items)
        known = dict(self._known_surveys(keys))
        missing = [item for item in items if item[0] not in known]
        read = options.map_files(
            partial(_survey, kinds=self._kinds, habits=self._habits, words=self._words),
            missing,
            n_bytes=sum(len(item[1]) for item in missing),
            jobs=self._jobs,
            what="reading",
        )
        if self._cache is not None and read:
            self._cache.put({keys[each.path]: _survey_to_text(each) for each in read})
        surveyed = self._with_names([*read, *known.values()])
        unread = [
            FileSurvey(name, 0, unread=data)
            for name in self._sources.files
            if isinstance(data := self.everything[name], str)
        ]
        return sorted([*surveyed, *unread], key=lambda survey: survey.path)

    def _with_names(self, surveyed: list[FileSurvey]) -> list[FileSurvey]:
        """The surveys with better names for what asked for them."""
        if not any(finding.question for survey in surveyed for finding in survey.findings):
            return surveyed
        # Imported here: where nothing asks for a name, nothing is to be known about names.
        from zephyrun.commands.project_names import ProjectNames
        from zephyrun.findings.naming import answered

        read = {each.path: each.usage for each in surveyed if each.usage is not None}
        names = ProjectNames(self.root, self.everything, self._settings, self._sources.named, self._jobs)
        usages = names.usages(read, {survey.path for survey in surveyed})
        return answered(surveyed, usages, self._words, self.advice)

    @cached_property
    def _habits(self) -> Habits:
        """The project's habits; none where nothing is asked that goes by them."""
        if not any(KINDS[kind].goes_by_habits for kind in self._kinds):
            return {}
        # Imported here: what is known already need not be measured.
        from zephyrun.commands.project_habits import measure_sample, sample_of

        sample = sample_of(self.everything, self._settings)
        if self._cache is None:
            return measure_sample(sample, self._settings, self._jobs).sides
        from zephyrun.project.cache import joint_key

        keys = [self._content_keys[path] for path, _ in sample.files]
        key = joint_key("habits", self._settings.habits, *keys)
        with suppress(ValueError, TypeError, LookupError):
            return dict(line.split("\t", 1) for line in self._cache.get([key])[key].splitlines())
        sides = measure_sample(sample, self._settings, self._jobs).sides
        self._cache.put({key: "\n".join(f"{place}\t{side}" for place, side in sides.items())})
        return sides

    @cached_property
    def _words(self) -> WordChoices:
        if self._settings.words == Words() and not self._has_names:
            return WordChoices()
        # Imported here: few teams say anything about words.
        from zephyrun.commands.project_names import word_choices

        return word_choices(self.root, self._settings)

    def _keys(self, items: Sequence[tuple[str, bytes, Surroundings]]) -> dict[str, str]:
        """For each file, what its findings depend on."""
        if self._cache is None:
            return {}
        from zephyrun.project.cache import joint_key

        return {
            name: joint_key(
                "file", self._kinds, self._habits, self._words.as_text(), name, self._content_keys[name], around.as_text()
            )
            for name, _, around in items
        }

    def _known_surveys(self, keys: Mapping[str, str]) -> Iterator[tuple[str, FileSurvey]]:
        if self._cache is None:
            return
        known = self._cache.get(list(keys.values()))
        for path, key in keys.items():
            if (text := known.get(key)) is not None:
                with suppress(ValueError, TypeError, LookupError):
                    yield path, _survey_from_text(path, text)


def _open_cache(root: Path) -> Cache[str]:
    # Imported here, as what it gives is: small surveys do without, and start-up should stay fast.
    from zephyrun.project.cache import Cache

    return Cache(root)


def _survey_to_text(survey: FileSurvey) -> str:
    return f"{survey.n_lines}\n{survey.unread}\n{findings_to_text(survey.findings)}"


def _survey_from_text(path: str, text: str) -> FileSurvey:
    n_lines, unread, findings = text.split("\n", 2)
    return FileSurvey(path, int(n_lines), findings_from_text(findings), unread)


def _undecided(survey: FileSurvey, decisions: Decisions) -> FileSurvey:
    if not decisions.declined:
        return survey
    findings = tuple(each for each in survey.findings if each.id not in decisions.declined)
    return survey._replace(findings=findings)


def _on_new_lines(
    surveys: Sequence[FileSurvey], new_lines: Mapping[str, Sequence[range]]
) -> list[FileSurvey]:
    """The surveys with only those findings that touch a new line of their file."""

    def is_new(finding: Finding) -> bool:
        return any(
            lines.start <= finding.end.line and finding.start.line < lines.stop
            for lines in new_lines.get(finding.path, ())
        )

    return [
        survey._replace(findings=tuple(filter(is_new, survey.findings))) for survey in surveys
    ]


def _survey(
    item: tuple[str, bytes, Surroundings], kinds: tuple[str, ...], habits: Habits, words: WordChoices
) -> FileSurvey:
    return survey_source(*item, kinds, habits, words)
