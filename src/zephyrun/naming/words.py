"""Words inside names: cutting names apart, singular and plural, and what a reader can pronounce."""

from __future__ import annotations

from functools import cache

from zephyrun.patterns import lazy_pattern

_PARTS = lazy_pattern(r"\d*(?:1st|2nd|3rd|\dth)(?![A-Za-z])|[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+|[^\W\d_A-Za-z]+")
_VOWELS = frozenset("aeiouy")

# Short words and short forms that any reader of code reads at sight. Longer words are judged by
# whether they can be pronounced.
SHORT_WORDS = frozenset(
    """
    a add age ago aim air all and ant any apt arc are area arg args arm art as ask at axe axis
    back bad bag ban bar base bat bed bee be beep beg bet big bin bit body book both bow box boy bud
    bug bulk bus but buy by byte bytes call can cap car card case cat cell char city cite class
    clip clock code cog cold col cold cook cool copy core cost cow crop cry cube cup curl cut
    dam dark data date day days db dead deal dear deck deep den dew did die diff dig dim dip dir
    dirs do doc docs does dog done door dot down draw drop dry dual due dump dust duty each ear
    early east easy eat edge edit egg ego eight else emit empty end entry env era error eve even
    event ever every evil exact exit eye face fact fade fail fair fall fan far farm fast fat fax
    fed fee feed feel few fig file fill film find fine fire firm first fish fit five fix flag flap
    flat flip flow fly foam fog fold foot for fork form four fox free frog from fuel full fun gap
    gas gate get gift give glue go goal god gold good got grid grow gum gun guy had hall ham hand
    hard has hash hat have hay head hear heat held hen her here hex hey hi hid high hill him hint
    hip his hit hive hold hole home hook hop hope hot hour how html http hub hug hull hut ice icon id
    idea idle ids if image in inch info ink inn input int into ion ip iron is it item items its
    jam jar jaw jet job join joy json jug jump just keep key keys kin kind king kit knob know lab
    lack lag lamp land lap large last late law lawn lay layer lead leaf lean left leg less let
    level lid lie life lift like line link lip list live load loan lock log logs long look loop
    lose loss lost lot loud love low luck lug mac mad mail main make man many map mark mask mass
    mat match math max may md me mean meat meet menu met meta mid mile milk mime min mind mine mint
    mist mix mock mod mode moon more most move much mud mug must my nail name near neck need nest
    net new news next nice night nil nine no node none noon north nose not note noun now nth null
    nut oak oat odd of off oil ok old on once one only op open opt or oral orb ore os other our out
    oval over owl own pace pack pad page paid pain pair pan park part pass past pat patch path paw
    pay pdf pea peak peer pen per pet phase pi pick pie pig pin pine pipe pit pixel plan play plot
    plug plus png pod poem point pole poll pool pop port pose post pot pour power pre press prime
    print pro proof pub pull pump pure push put qty quad queen query quit quiet quota rag rain ram
    ran rank rare rat rate raw ray read real rear red ref regex rest rib rice rich rid ride rig
    right ring rise risk road rob rod role roll roof room root rope rose rot rough round route row
    rows rub rug rule run rush rust sad safe said sail salt same sand sat save saw say scan sea
    seat see seed seek seen self sell send sent set sets shade shape share shift ship shop
    shot show shut sick side sign silk sin sink sip sit site six size skin skip sky slab slot slow
    snow so soap sock soft soil sold sole some son song soon sort soul soup sour spec speed spin
    spot spy sql ssl star start stay stem step stop sub such suit sum sun sure swap swim sync tab
    table tag tail take tall tan tank tap tape target task tax tea team tear tell ten tent term
    test text than that the them then they thin this thus tick tie tile till time tin tiny tip to
    toe token ton too took tool top toss total tow town toy track tray tree tried trim trip true
    try tub tube tug tune turn two type ugly ui unit until up upon urge uri url urls us usage use
    used user utf uuid van vary vase vast vat verb very vet via view vote wait wake walk wall want
    war warm was wash wave wax way we weak wear web weed week well went west wet what when who why
    wide width wife wig wild will win wind wine wing wire wise wish with wood wool word words work
    world worm worth wrap xml yard year years yes yet you your zero zip zone zoo
    """.split()
)

# Short forms that stand for one thing throughout the trade; a reader need not look them up.
TRADE_FORMS = frozenset(
    "ax df dx dy dz fd np pd plt tz utc gmt cpu gpu io ctx ast cls csv sha crc rgb exc err msg src dst "
    "argv stdin stdout stderr lhs rhs pid uid gid api app apps acl bbox bom cgi cli csrf css cwd db dns eof eol ftp gif gui "
    "gzip ide imap iso jpg jpeg js jwt lru mtime ctime nbytes ndim dtype rfc rpc sdk smtp ssh svg tar tcp tls ttl "
    "tty udp re non uuids const consts recv href rgba mysql xpath tmpdir passwd stdev bson ngram rstrip lstrip pprint vmin vmax rtol "
    "amqp chdir cidr ctrl downstream fnmatch fqdn graphql healthcheck hmac https lxml mathml mkdir mmap msgpack passphrase "
    "passthrough postscript rmdir rmtree sftp sqrt stdio stdlib strftime strptime toml venv vhost xhtml xmlns xmlrpc yaml "
    "zlib zstd atol br ca chmod cmsg exe fds fut hh hr nav rhythm ss toc ttf tzs vpn wsgi asgi xhr yml py pyc "
    "jan feb mar apr jun jul aug sep oct nov dec mon tue wed thu fri sat sun xmas "
    "kg mg cm mm km ms ns kb mb gb hz lat lats lng lon lons latlng latlon".split()
)

_IRREGULAR = {
    "children": "child", "people": "person", "men": "man", "women": "woman", "indices": "index",
    "vertices": "vertex", "matrices": "matrix", "leaves": "leaf", "halves": "half", "data": "",
    "series": "", "news": "", "status": "", "bus": "", "lens": "", "axis": "", "basis": "",
    "bees": "bee", "queries": "query",
}
_UNSPEAKABLE = lazy_pattern(r"[^aeiouy]{5,}")
_ONE_SYLLABLE = lazy_pattern(r"([^aeiouy]*)(?:[aeiouy]|[aeo][aeiouy]|[iu][aeo]|y[aeiou])([^aeiouy]*)")
_CONSONANTS = "b c d f g h j k l m n p q r s t v w x z".split()
# What words of one syllable begin and end with.
_BEGINNINGS = frozenset(
    """bl br ch chr cl cr dr dw fl fr gh gl gn gr kl kn kr ph phr pl pr ps qu rh sc sch scr sh shr sk sl sm sn sp sph
    spl spr sq squ st str sw th thr thw tr ts tw wh wr""".split()
).union(_CONSONANTS, [""])
_ENDINGS = frozenset(
    """b bb c ch ck ct d dd dg dth f ff ft g gg gh ght gn h k l lb lc ld lf lg lk ll lm ln lp lpt lst lt lth lv m mb mn
    mp mph mpt n nc nch nct nd ng ngth nk nn nt nth nx p pt pth ph q r rb rc rch rd rf rg rk rl rld rm rn rp rph rr rs rsh rst
    rt rth rv s sc sh sk sm sp ss st t tch th tt tz v w wd wk wl wn wth x xt xth z zz bt dz kt ps ts ws""".split()
).union([""])
# Short forms of four letters and more that everybody writes.
_WRITTEN_SHORT = frozenset(
    "addr attr attn calc char cntr conf cond config expr func kwarg kwds impl incr init lang misc orig param prev proc prog prop repr "
    "stmt temp util decr elem curr buff dtype argv expn".split()
)
_PREFIXED = frozenset("nxyz")
_SHORTEST_PLURAL_IN_IES = 4
_SHORTEST_PLURAL_IN_S = 3
_SHORTEST_STEM = 3
_LONGEST_TRUSTED_SKELETON = 3
_STUMP = 0.9
_LONGEST_NUMBERED_STUMP = 3
_SKELETON = 0.7


def split_name(name: str) -> list[str]:
    """The lower-case words of a name: `usrCnt2` gives `usr`, `cnt`, `2`, and `jan_1st` gives `jan`, `1st`."""
    return [part.lower() for part in _PARTS.findall(name)]


def snake_case(name: str) -> str:
    """The words of a name joined by underscores; digits stay with the word before them."""
    joined = ""
    for part in split_name(name):
        joined += part if part.isdigit() or not joined else f"_{part}"
    return joined


def singular(word: str) -> str:
    """The singular of the last word of a name, "" where it is no plural that we know."""
    head, separator, last = word.rpartition("_")
    if last in _IRREGULAR:
        one = _IRREGULAR[last]
    elif last.endswith("ies") and len(last) > _SHORTEST_PLURAL_IN_IES:
        one = last[:-3] + "y"
    elif last.endswith(("sses", "shes", "ches", "xes", "zes")):
        one = last[:-2]
    elif len(last) <= _SHORTEST_PLURAL_IN_S or last.endswith(("ss", "us", "is")):
        one = ""
    elif last.endswith("s"):
        one = last[:-1]
    else:
        one = ""
    return f"{head}{separator}{one}" if one else ""


def plural(word: str) -> str:
    """The plural of a name; one that is a plural already stays."""
    if singular(word):
        return word
    if word.endswith("y") and word[-2:-1] not in ("", *_VOWELS):
        return word[:-1] + "ies"
    return word + ("es" if word.endswith(("s", "sh", "ch", "x", "z")) else "s")


def keeps_letters(short: str, full: str) -> bool:
    """Whether the letters of `short` stand in `full` in their order, the first one first."""
    place = -1
    for letter in short.lower():
        if letter.isalpha():
            is_first = place < 0
            place = full.find(letter, place + 1)
            if place < 0 or (is_first and place > 0):
                return False
    return place >= 0


@cache
def stem(word: str) -> str:
    """A rough stem, so that `weights`, `weighing` and `weigh` meet."""
    for ending in ("ings", "ing", "ies", "ied", "es", "ed", "s"):
        if word.endswith(ending) and len(word) - len(ending) >= _SHORTEST_STEM:
            word = word[: -len(ending)]
            break
    return word.rstrip("e")


def has_vowel(word: str) -> bool:
    """Whether a lower-case word has a vowel, so that one could try to say it."""
    return not _VOWELS.isdisjoint(word)


def _is_plural_of_trade_form(word: str) -> bool:
    # `res` are no several `re`.
    return len(word) > _SHORTEST_PLURAL_IN_S and word.endswith("s") and word[:-1] in TRADE_FORMS


@cache
def is_readable(word: str) -> bool:
    """Whether a reader knows or can at least pronounce a lower-case word."""
    if not word.isascii() or word in SHORT_WORDS or word in TRADE_FORMS or _is_plural_of_trade_form(word):
        # Words of other scripts are for their own readers to judge.
        return True
    if word[0].isdigit():
        return True
    if len(word) <= _LONGEST_TRUSTED_SKELETON or not has_vowel(word):
        return False
    if word[0] in _PREFIXED and is_readable(word[1:]):
        # `nrows`, `xmin`: a letter of the trade before a word.
        return True
    syllable = _ONE_SYLLABLE.fullmatch(word)
    if syllable is not None and word.removesuffix("s") not in _WRITTEN_SHORT:
        # With one vowel, what is left of a longer word shows by what nobody can say before or behind it.
        return syllable[1] in _BEGINNINGS and (syllable[2].removesuffix("s") or "s") in _ENDINGS
    return _UNSPEAKABLE.search(word.removesuffix("s")) is None


@cache
def crypticness(name: str) -> float:
    """How hard a name is to read, from 0 (plain) to 1 (says nothing)."""
    words = split_name(name)
    letters = [word for word in words if not word.isdigit()]
    if not letters:
        return 0.0
    is_numbered = any(word.isdigit() for word in words)
    joined = "".join(letters)
    if len(joined) == 1:
        return 1.0
    if len(letters) == 1 and letters[0] in TRADE_FORMS and not is_numbered:
        return 0.0
    unreadable = [word for word in letters if not is_readable(word)]
    if len(joined) == 2 and unreadable:
        return _STUMP
    if is_numbered and (unreadable or len(joined) <= _LONGEST_NUMBERED_STUMP):
        return _STUMP
    # A letter or skeleton beside a whole word (`n_hives`, `hive_wt`) is half as bad.
    if not unreadable or (len(letters) > 1 and unreadable == ["n"]):
        return 0.0
    return _SKELETON * len(unreadable) / len(letters) if len(letters) > 1 else _SKELETON
