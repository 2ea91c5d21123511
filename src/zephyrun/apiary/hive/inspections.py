"""What was seen when the hives were opened."""
import datetime

from hive.log import by_hive

MITE_LIMIT = 3


def days_since_inspection(inspections, today):
    """Days since the hive was last opened; None when it never was."""
    if not inspections:
        return None
    x = inspections[-1]['day']
    d = today - x
    return d.days


def mite_trend(inspections):
    """Mites a day gained between the first and the last count."""
    if len(inspections) < 2:
        return 0.0
    # get the first and the last inspection
    i1 = inspections[0]
    i2 = inspections[-1]
    dd = (i2['day'] - i1['day']).days
    # if dd == 0: return 0
    if dd <= 0:
        return 0.0
    return (i2['mites'] - i1['mites']) / dd


def queen_missing(inspections, times=2):
    """True when the queen was not seen so many times in a row."""
    c = 0
    for ins in reversed(inspections):
        if ins['queen_seen']:
            break
        # increment c by one
        c += 1
    return c >= times


def treatment_due(inspections, today):
    # mites above the limit, or not looked for three weeks in summer
    if not inspections:
        return True
    mc = inspections[-1]['mites']  # mite count
    ds = days_since_inspection(inspections, today)
    if mc > MITE_LIMIT:
        return True
    if ds > 21 and 5 <= today.month <= 8:
        return True
    return False


def describe(inspection):
    q = 'queen seen' if inspection['queen_seen'] else 'no queen'
    m = inspection['mites']
    s = f"{inspection['day']}: {q}, {m} mites"
    if inspection['note']:
        s = s + f" ({inspection['note']})"
    return s


def trace_hive(name, inspections, today=None):
    """Prints what is known of a hive, for when something looks odd."""
    if today is None:
        today = datetime.date.today()
    ds = days_since_inspection(inspections, today)
    tr = mite_trend(inspections)
    print(f'{name}: {ds=} {tr=:.2f}')


def due_hives(all_inspections, today):
    """Names of the hives that need a treatment."""
    res = []
    g = by_hive(all_inspections)
    # loop over the hives
    for h in sorted(g):
        if treatment_due(g[h], today):
            res.append(h)
    return res
