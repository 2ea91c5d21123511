"""`verify` and names that have become others, nobody having said which."""

import hashlib
import random
import re
import subprocess

import pytest

from tests.helpers import document, zephyrun
from tests.test_renames import ATTACKS, CASES, UNTOLD, find_target, forgetful, output_of, read_cases, world_of
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.project.library import read_library
from zephyrun.project.repository import find_repository
from zephyrun.proof.explaining import OPERATORS_ASSUMPTION
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

N_RANDOM_CHANGES = 100
# How long a file is that it opens is no behaviour that anybody promises to keep.
READS_ITS_TEXT = "module open"
# Where an object lies, and in which line something stands (a warning without its text, too), is no behaviour.
NO_BEHAVIOUR = re.compile(r"0x[0-9a-f]+|line \d+|None \d+")
# Words that stand for something in a program, by how they are introduced.
INTRODUCED = re.compile(
    r"(?:def|class|for|as|lambda|import|self\.)\s*([A-Za-z_]\w*)|([A-Za-z_]\w*)\s*=|[(,]\s*([A-Za-z_]\w*)\s*[,)=]"
)
WORD = re.compile(r"\b[A-Za-z_]\w*\b")


def renamed(case):
    """The change that a case asks for, and whether it is done without a word."""
    world = world_of(case.files)
    evaluator = world.evaluator(case.files)
    wish = Wish(find_target(evaluator, case.target), case.new)
    change = carry_out_renames(evaluator, [wish], surroundings=world.surroundings)
    return change, not (change.reasons or change.doubts or change.open_places)


@pytest.mark.parametrize("case", read_cases(), ids=lambda case: case.title)
def test_a_rename_is_recognised(case):
    """What is renamed without a word is the same to who was not told; what is refused or needs one is not."""
    change, is_done = renamed(case)
    proof = compare_trees(case.files, change.contents, world=UNTOLD)
    if change.contents == case.files:
        return
    assert (proof.verdict is Verdict.SAME) == is_done, [each.differences for _, each in proof.files]


@pytest.mark.parametrize("case", [each for each in read_cases() if each.outcome == "done"], ids=lambda case: case.title)
def test_a_forgotten_reference_is_seen(case):
    """Renames with one reference left out are none, whichever it is."""
    change, _ = renamed(case)
    for forgotten, contents in forgetful(case, change):
        if contents != case.files:
            assert compare_trees(case.files, contents, world=UNTOLD).verdict is not Verdict.SAME, forgotten


def change_at_random(dice, files):
    """A word of some program replaced everywhere, or not quite; now and then with something else changed."""
    code = [path for path in files if path.endswith(".py")]
    introduced = INTRODUCED.findall(files[dice.choice(code)].decode())
    words = sorted({word for groups in introduced for word in groups if word and not word.startswith("__")})
    if not words:
        return None
    word = dice.choice(words)
    new = dice.choice([f"{word}_new", "zz", "a0", f"_{word}", word.strip("_") or "q", dice.choice(words)])
    habit = dice.choice(["everywhere", "everywhere", "in one file", "but once", "swapped"])
    only = dice.choice(code)
    n_left = dice.randrange(1 + sum(len(re.findall(rf"\b{word}\b", files[path].decode())) for path in code))

    def replaced(match):
        nonlocal n_left
        if habit == "swapped" and match[0] == new:
            return word
        if match[0] != word:
            return match[0]
        n_left -= 1
        return word if habit == "but once" and n_left == -1 else new

    changed = dict(files)
    for path in code if habit != "in one file" else [only]:
        changed[path] = WORD.sub(replaced, files[path].decode()).encode()
    if dice.random() < 1 / 3:
        before, after = dice.choice([(b" + ", b" - "), (b"(", b"( "), (b"print(", b"print(1 and "), (b"=1", b"=2")])
        changed[only] = b"# weighed by hand\n" + changed[only].replace(before, after, 1)
    return changed


def test_changes_at_random():
    """Whatever a careless hand makes of programs that are easily told by their names: what is called the same
    runs the same, or the verdict names what it takes for granted."""
    dice = random.Random()
    cases = [case for case in (*read_cases(ATTACKS), *read_cases(CASES)) if case.title != READS_ITS_TEXT]
    verdicts = []
    for number in range(N_RANDOM_CHANGES):
        case = dice.choice(cases)
        if (changed := change_at_random(dice, case.files)) is None:
            continue
        proof = compare_trees(case.files, changed, world=UNTOLD)
        verdicts.append(proof.verdict)
        if proof.verdict is Verdict.SAME and not proof.assumptions:
            before, after = map(output_of, (case.files, changed))
            assert before[0] == after[0], (case.title, changed)
            assert NO_BEHAVIOUR.sub("", before[1]) == NO_BEHAVIOUR.sub("", after[1]), (case.title, changed)
    assert set(verdicts) == set(Verdict)


MIXTURE = (
    {
        "hives.py": b'"""Weights."""\n\nclass Hive:\n    def __init__(self, kg, lot=3):\n        self.kg = kg   # weighed\n'
        b"        self._n = lot\n\n    def w(self, t):\n        x = self.kg - t\n        if x > 40:\n            return x*1.5\n"
        b"        return x\n\ndef tot(hs, t=2):\n    s = 0\n    for h in hs:\n        s = s + h.w(t=t)\n    return s\n",
        "main.py": b"import hives\nfrom hives import Hive, tot\nprint(tot([Hive(30), Hive(kg=50)]), hives.tot([], t=1))\n",
    },
    {
        "bees/__init__.py": b"",
        "hives.py": b'"""Weights."""\n\nHEAVY = 40\n\n\nclass Colony:\n    def __init__(self, weight, lot=3):\n'
        b"        self.weight = weight\n        self._lot = lot\n\n    def net_weight(self, tare):\n        net = self.weight - tare\n"
        b"        if net > HEAVY:\n            return net * 1.5\n        return net\n\n\ndef total_weight(colonies, tare=2):\n    total = 0\n"
        b"    # one after the other\n    for colony in colonies:\n        total = total + colony.net_weight(\n            tare=tare\n        )\n    return total\n",
        "main.py": b"import hives\nfrom hives import Colony, total_weight\n"
        b"print(total_weight([Colony(30), Colony(weight=50)]), hives.total_weight([], tare=1))\n",
    },
)


def test_renames_amid_other_changes():
    """Names, layout, comments and constants in one go are one answer; a change of meaning among them is all
    that is shown."""
    old, new = MIXTURE
    new = {path: data for path, data in new.items() if data}
    proof = compare_trees(old, new, world=UNTOLD)
    assert proof.verdict is Verdict.SAME, proof
    edits = dict(dict(proof.files)["hives.py"].edits)
    assert edits["local rename"] == 3 and edits["named constant"] == 1 and edits["comment"] == 1
    for in_old, in_new, changed in (
        (b"x > 40", b"net > HEAVY", b"net >= HEAVY"),
        (b"s = 0", b"total = 0", b"total = 1"),
        (b"self.kg - t", b"self.weight - tare", b"tare - self.weight"),
        (b"h.w(", b"colony.net_weight(", b"colony.weight("),
    ):
        mutant = new | {"hives.py": new["hives.py"].replace(in_new, changed)}
        proof = compare_trees(old, mutant, world=UNTOLD)
        (difference,) = [each for _, file in proof.files for each in file.differences]
        assert proof.verdict is (Verdict.UNPROVEN if b"colony" in changed else Verdict.DIFFERENT)
        lines = [files["hives.py"].partition(text)[0].count(b"\n") + 1 for files, text in ((old, in_old), (mutant, changed))]
        assert [difference.old_line, difference.new_line] == lines, difference


def test_a_library_keeps_its_public_names():
    """Code outside may use what is public, but not what is private."""
    old = {"hives.py": b"def weigh(kg):\n    return _net(kg)\n\n\ndef _net(kg):\n    return kg - 2\n"}
    private = {"hives.py": old["hives.py"].replace(b"_net", b"_net_weight")}
    public = {"hives.py": old["hives.py"].replace(b"weigh", b"net_weight")}
    world = World(library=read_library, is_library=True)
    assert compare_trees(old, private, world=world).verdict is Verdict.SAME
    proof = compare_trees(old, public, world=world)
    assert proof.verdict is Verdict.UNPROVEN
    (difference,) = dict(proof.files)["hives.py"].differences
    assert (difference.old_line, difference.new_line) == (1, 1) and "outside" in difference.what


def test_a_package_that_is_no_file_has_its_reasons_told():
    """Nothing that speaks against a name is lost because no file stands for the thing."""
    old = {
        "bee/yard/__init__.py": b"",
        "bee/yard/scales.py": b"def weigh():\n    return 3\n",
        "main.py": b"import bee.yard.scales\nname = 'bee'\nprint(__import__(name + '.yard.scales'))\n",
    }
    new = {path.replace("bee/", "wasp/"): data.replace(b"import bee", b"import wasp") for path, data in old.items()}
    proof = compare_trees(old, new, world=UNTOLD)
    assert proof.verdict is not Verdict.SAME
    assert proof.reasons or any(file.differences for _, file in proof.files)


def test_what_explains_rests_on_the_operators():
    """Also where it is given back at once, if only its being a truth value makes that harmless."""
    text = "def f(hive, scale):\n    with scale:\n        {}\n"
    old, new = (
        {"hives.py": text.format(body).encode()}
        for body in ("is_heavy = hive.kg > 3\n        return is_heavy", "return hive.kg > 3")
    )
    proof = compare_trees(old, new, world=UNTOLD)
    assert proof.verdict is Verdict.SAME and proof.assumptions == (OPERATORS_ASSUMPTION,)
    assert compare_trees(old, new, world=UNTOLD, strict=True).verdict is Verdict.UNPROVEN


SCALES = b"def weigh():\n    return 3\n"
MOVED = {
    "the module has another name": ("scales.py", "weights.py", b"import weights\nprint(weights.weigh())\n", Verdict.SAME),
    "somebody asks for the old name": ("scales.py", "weights.py", b"import scales\nprint(scales.weigh())\n", Verdict.UNPROVEN),
    "the file lies in another package": ("bee/scales.py", "bee/tools/scales.py", b"print(3)\n", Verdict.UNPROVEN),
    "a script lies elsewhere": ("bin/scales.py", "tools/scales.py", b"print(3)\n", Verdict.UNPROVEN),
    "the file is opened": ("scales.py", "weights.py", b"print(open('scales.py').read())\n", Verdict.UNPROVEN),
}


@pytest.mark.parametrize(("path", "new_path", "main", "verdict"), MOVED.values(), ids=MOVED)
def test_moved_files(path, new_path, main, verdict):
    """A file that lies elsewhere is matched up, and is the same only where its module has another name."""
    module, new_module = (each.rpartition("/")[2].removesuffix(".py").encode() for each in (path, new_path))
    old_main = main.replace(new_module, module) if verdict is Verdict.SAME else main
    proof = compare_trees({path: SCALES, "main.py": old_main}, {new_path: SCALES, "main.py": main}, world=UNTOLD)
    assert proof.verdict is verdict
    assert dict(dict(proof.files)[new_path].edits)["moved file"] == 1
    changed = {new_path: SCALES.replace(b"3", b"4"), "main.py": main}
    assert compare_trees({path: SCALES, "main.py": old_main}, changed, world=UNTOLD).verdict is not Verdict.SAME


def test_what_many_modules_mind_is_told_once(tmp_path):
    """Six modules list the names of one that gets a new one: one sentence for people, six for programs."""
    for side, text in (("old", "def weigh(kg):\n    return kg * 7\n"), ("new", "DAYS = 7\n\n\ndef weigh(kg):\n    return kg * DAYS\n")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "hives.py").write_text(text)
        for number in range(6):
            (tmp_path / side / f"season_{number}.py").write_text("import hives\n\nprint(sorted(vars(hives)), hives.weigh(3))\n")
    told = " ".join(zephyrun("verify", "old", "new", cwd=tmp_path, code=3).stdout.split())
    assert "names of this module by season_0, season_1, season_2 and 3 more minds one more" in told
    assert told.count("minds one more") == 1
    (changed,) = [each for each in document("verify", "old", "new", cwd=tmp_path, code=3)["files"] if each["differences"]]
    assert sum("minds one more" in each["what"] for each in changed["differences"]) == 6


def test_verify_against_revisions(tmp_path):
    """The work tree against a revision, and two revisions: bytes as they are, links, files that are not known."""
    yard = tmp_path / "yard"

    def git(*words):
        who = ("-c", "user.name=Keeper", "-c", "user.email=keeper@example.org", "-c", "core.autocrlf=true")
        subprocess.run(["git", *who, *words], cwd=tmp_path, check=True, capture_output=True)

    yard.mkdir()
    (tmp_path / "outside.py").write_text("x = 1\n")
    (yard / "zephyrun.toml").touch()
    (yard / ".gitignore").write_text("left.py\n")
    (yard / "hives.py").write_bytes(b"def weigh(hive, t):\r\n    return hive.kg - t\r\n")
    (yard / "honey.bin").write_bytes(bytes(range(256)))
    (yard / "link.py").symlink_to("hives.py")
    git("init", "-q")
    git("-c", "core.autocrlf=false", "add", ".")
    git("commit", "-qm", "As inherited")
    (yard / "hives.py").write_bytes(b"def weigh(hive, tare):\n    return hive.kg - tare\n")
    (yard / "left.py").write_text("print(1)\n")
    (tmp_path / "outside.py").write_text("x = 2\n")

    found = document("verify", "--since", "HEAD", "yard", cwd=tmp_path)
    assert found["verdict"] == "same" and found["root"] == found["old_root"] == "yard"
    assert found["revisions"] == ["HEAD", None]
    assert [each["path"] for each in found["files"] if each["edits"]] == ["hives.py"]
    git("commit", "-qam", "Cleaned up")
    (yard / "hives.py").write_text("def weigh(hive, tare):\n    return hive.kg + tare\n")
    assert document("verify", "--between", "HEAD~1", "HEAD", cwd=yard)["verdict"] == "same"
    found = document("verify", "--since", "HEAD~1", cwd=yard, code=1)
    (changed,) = [each for each in found["files"] if each["differences"]]
    assert (changed["differences"][0]["old_line"], changed["differences"][0]["new_line"]) == (2, 2)
    (yard / "more.py").write_text("print(2)\n")
    git("add", "yard/hives.py")
    found = document("verify", "--since", "HEAD", cwd=yard, code=1)
    assert {each["path"] for each in found["files"] if each["differences"]} == {"hives.py", "more.py"}

    # What lies there in the form of a revision is not read from git, and nothing else is taken for it.
    repository = find_repository(yard)
    at_hand = {path.name: path.read_bytes() for path in yard.iterdir() if path.is_file()}
    then = repository.files_at("HEAD", at_hand)
    assert then == repository.files_at("HEAD") and then["hives.py"] != at_hand["hives.py"]
    assert then["honey.bin"] is at_hand["honey.bin"] and then["link.py"] == "a symbolic link to hives.py"

    # A large file that is kept elsewhere is the one that lies here, or another one.
    honey = (yard / "honey.bin").read_bytes()
    digest = hashlib.sha256(honey).hexdigest()
    (yard / "honey.bin").write_text(f"version 1\noid sha256:{digest}\nsize {len(honey)}\n")
    git("add", "yard/honey.bin")
    git("commit", "-qm", "Large files lie elsewhere")
    assert repository.files_at("HEAD", at_hand)["honey.bin"] is at_hand["honey.bin"]
    for other in (honey[::-1], honey + b"1"):
        assert repository.files_at("HEAD", {"honey.bin": other})["honey.bin"] == (yard / "honey.bin").read_bytes()

    for words, message in (
        (("--since", "nowhere"), "there is no revision nowhere"),
        (("--since", "HEAD", "a", "b"), "one project at most"),
        (("hives.py",), "give two files or two folders, or --since REV"),
        (("--between", "HEAD", "--since", "HEAD"), "expected 2 arguments"),
    ):
        assert message in zephyrun("verify", *words, cwd=yard, code=2).stderr
