"""The JSON documents of the machine interface, one function a document."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from zephyrun.changes.step import Step
from zephyrun.findings import Finding
from zephyrun.findings.summary import Summary
from zephyrun.proof.trees import TreeProof
from zephyrun.proof.verdict import FileProof

Document = dict[str, Any]


def survey_document(
    root: str,
    summary: Summary,
    findings: Iterable[Finding],
) -> Document:
    """`zephyrun.survey/1`. `root` is relative to the working folder."""
    return {
        "schema": "zephyrun.survey/1",
        "root": root,
        "files": summary.n_files,
        "lines": summary.n_lines,
        "findings": [_finding(finding) for finding in findings],
        "unread": [{"path": path, "reason": reason} for path, reason in summary.unread.items()],
        "left_out": [{"path": path, "reason": str(reason)} for path, reason in summary.left_out.items()],
    }


def _finding(finding: Finding) -> Document:
    return {
        "id": finding.id,
        "kind": finding.kind,
        "path": finding.path,
        "line": finding.start.line,
        "column": finding.start.column,
        "end_line": finding.end.line,
        "end_column": finding.end.column,
        "subject": finding.subject,
        "scope": finding.scope,
        "ordinal": finding.ordinal,
        "message": finding.message,
        "weight": finding.weight,
        "remedy": finding.remedy.value,
        "confirm": list(finding.confirm),
        "suggestions": [
            {"text": each.text, "score": each.score, "evidence": list(each.evidence)}
            for each in finding.suggestions
        ],
    }


def verify_document(
    old_root: str, new_root: str, proof: TreeProof, revisions: tuple[str, str] = ("", "")
) -> Document:
    """`zephyrun.verify/1`. Both roots are relative to the working folder; a side that is no revision has ""."""
    return {
        "schema": "zephyrun.verify/1",
        "root": new_root,
        "old_root": old_root,
        "revisions": [each or None for each in revisions],
        "verdict": proof.verdict.value,
        "assumptions": list(proof.assumptions),
        "reasons": list(proof.reasons),
        "files": [_file_proof(path, each) for path, each in proof.files],
    }


def _file_proof(path: str, proof: FileProof) -> Document:
    return {
        "path": path,
        "verdict": proof.verdict.value,
        "edits": list(proof.edit_texts()),
        "definitions": [
            {"name": each.name, "verdict": each.verdict.value, "given": list(each.given)}
            for each in proof.definitions
        ],
        "differences": [
            {
                "old_line": each.old_line or None,
                "new_line": each.new_line or None,
                "what": each.what,
                "verdict": each.verdict.value,
            }
            for each in proof.differences
        ],
    }


def apply_document(
    root: str,
    applied: Sequence[str],
    refused: Sequence[tuple[str, str]],
    taken_back: Sequence[str],
    files: Sequence[str],
    assumptions: Sequence[str],
    mended_again: Sequence[Step],
) -> Document:
    """`zephyrun.apply/1`. `mended_again` is what a second look at the layout found to do."""
    return {
        "schema": "zephyrun.apply/1",
        "root": root,
        "applied": list(applied),
        "refused": [{"id": step, "reason": reason} for step, reason in refused],
        "taken_back": list(taken_back),
        "files": list(files),
        "assumptions": list(assumptions),
        "mended_again": [
            {"path": step.path, "line": step.line, "kind": step.kind, "why": step.why}
            for step in mended_again
        ],
    }
