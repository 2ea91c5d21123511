"""What short forms stand for that are common in the trade."""

from __future__ import annotations

from collections.abc import Sequence

_WRITTEN = """
abbr abbreviation, acc account, addr address, alt alternative, amt amount, arg argument, arr array, attr attribute,
avg average, bg background, bin binary, btn button, buf buffer, buff buffer, calc calculate, cat category, cfg configuration,
char character, chk check, cls class, cmd command, cnt count, col column, conf configuration, conn connection,
coord coordinate, ctx context, cur current, curr current, db database, dct dictionary, decl declaration, deg degree,
dep dependency, desc description, dest destination, dev device, dict dictionary, diff difference, dir directory,
dist distance, dst destination, dt date, elem element, env environment, err error, evnt event, evt event, exc exception,
expr expression, ext extension, fd descriptor, fig figure, fld field, flg flag, fmt format, freq frequency, func function,
grp group, hdr header, idx index, img image, impl implementation, info information, init initial, int integer, iter iterator,
kw keyword, lang language, lbl label, len length, lib library, lst list, lvl level, max maximum, mgr manager, min minimum,
misc miscellaneous, mod module, msg message, nbr number, num number, nxt next, obj object, op operation, opt option,
orig original, param parameter, pct percent, pkg package, pos position, prev previous, proc process, prog program,
prop property, ptr pointer, pwd password, qry query, qty quantity, rdr reader, rec record, ref reference, regex expression,
rel relative, repo repository, repr representation, req request, resp response, ret result, rslt result, sec second,
sep separator, seq sequence, sig signature, spec specification, src source, srv server, std standard, stmt statement,
str string, sys system, tbl table, temp temporary, tgt target, thrd thread, tkn token, tmp temporary, tot total, tup tuple,
txt text, upd update, usr user, util utility, val value, var variable, vec vector, ver version, vol volume, wgt weight,
win window, wt weight
"""
# Each short form with the word that it stands for, wherever it stands.
TRADE_MEANINGS: dict[str, str] = {
    short: full for pair in _WRITTEN.split(",") for short, full in [pair.split()]
}
# Those of them that may stand for another word as well (`acc`: accuracy, `temp`: temperature).
_OF_SEVERAL_MEANINGS = frozenset(
    """acc alt arg bin cat col deg dep desc dev diff dist dst dt ext fd fig int iter kw min mod op opt pos proc prog rec ref rel
    ret sec seq sig std sys temp tmp ver vol win wt""".split()
)
# Those of them that hardly anybody has to think about, though a whole word would be kinder.
READ_AT_SIGHT = frozenset(
    """abbr abs acc addr agg alg alt arg arr attr avg bg bin btn buf cb cfg ch char chr cls cmd col conf conn conv ctor ctx cur curr
    db dct decl def del desc dest dev dict diff dir div dst el elem elt enc env eps err evt exc expr ext fd fg fig
    fk fmt fn fname fp func gen hi idx img impl info init inst int iter ix kv kw kwds lang ldquo len lib lo loc
    lsquo lst max mdash min misc mmap mod mro msg nan nbsp ndash num obj oid op ops opt ord orig param pat phi pk
    pkg pkt pos prev prog proj prop ptr pw qs rdquo rec ref regex rel repl repo repr req res resp ret rev rfp rng rsquo rst
    rv sec seg sep seq sig spec src std stmt str sym sys tb tbl td temp th tmp tmpl tok tr tup txn txt typ val var
    ver wfp
    """.split()
)


def meaning_of(short: str) -> str:
    """The word that a short form stands for in the trade, where it stands for no other one; "" otherwise."""
    return TRADE_MEANINGS.get(short, "") if short not in _OF_SEVERAL_MEANINGS else ""


def meanings_of(words: Sequence[str], full: Sequence[str]) -> dict[str, str]:
    """The short forms among the words of a name, each with what it stands for in the trade, where another name writes out just
    these, and each of them stands for nothing else; empty otherwise."""
    if len(words) != len(full):
        return {}
    found = {short: whole for short, whole in zip(words, full, strict=True) if short != whole}
    return found if all(meaning_of(short) == whole for short, whole in found.items()) else {}
