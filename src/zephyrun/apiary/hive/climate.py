"""Temperatures in and around the hive."""


def to_celsius(fahrenheit):
    return (fahrenheit - 32) * 5 / 9


def mean_temperature(readings):
    """Mean of the temperatures that were read; None when there were none."""
    t = 0  # temperature sum
    n = 0
    for r in readings:
        v = r['temperature']
        if v is None:
            continue
        # the scale at the creek sends fahrenheit
        if v > 60:
            v = to_celsius(v)
        t+=v
        n+=1
    # check if n is zero
    if n == 0:
        return None
    return t / n


def cold_spells(readings, limit=5.0, days=3):
    """Runs of cold days, as (first day, last day)."""
    spells = []
    st = None  # first day
    en = None  # last day
    cnt = 0
    for r in readings:
        tmp = r['temperature']
        if tmp is not None and tmp < limit:
            if st is None:
                st = r['day']
            en = r['day']
            cnt += 1
        else:
            if cnt >= days:
                spells.append((st, en))
            st = None
            en = None
            cnt = 0
    if cnt >= days:
        spells.append((st, en))
    # return the spells
    return spells


def flying_days(readings):
    # bees fly from 10 degrees on, below that they stay inside
    d = set()
    for r in readings:
        if r['temperature'] is not None and r['temperature'] >= 12:
            d.add(r['day'])
    return len(d)


def comfort(temperature):
    if temperature is None: return 'unknown'
    if temperature < 5: return 'cold'
    elif temperature < 12: return 'cool'
    elif temperature <= 35: return 'good'
    else: return 'hot'


def climate_line(name, readings):
    """One line for the report."""
    m = mean_temperature(readings)
    if m is None:
        return '%s: no temperatures' % name
    c = comfort(m)
    f = flying_days(readings)
    sp = cold_spells(readings)
    s = len(sp)
    return '%(name)s: %(m).1f degrees, %(c)s, %(f)d flying days, %(s)d cold spells' % locals()
