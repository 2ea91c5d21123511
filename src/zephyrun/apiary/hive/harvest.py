"""Honey: how much, how good, and what it brings."""
from hive.log import by_hive

PRICES = {'spring': 11.0, 'summer': 9.5, 'forest': 13.0}


def season_of(day):
    if day.month <= 6: return 'spring'
    if day.month == 7: return 'summer'
    return 'forest'


def yearly_yield(harvests):
    """Honey in kg by hive, ripe honey only."""
    totals = {}
    for hv in harvests:
        # honey with more than 18 percent of water ferments
        if hv['water_percent'] > 20:
            continue
        h = hv['hive']
        w = hv['honey_kg']
        # add w to the totals
        totals[h] = totals.get(h, 0) + w
    return totals


def yield_per_frame(harvests):
    """Mean yield of a frame in kg."""
    kg = 0
    fr = 0
    for hv in harvests:
        kg += hv['honey_kg']
        fr += hv['frames']
    return kg / fr if fr else 0.0


def best_hive(harvests):
    b = None; bk = -1
    yy = yearly_yield(harvests)
    for nm, kg in sorted(yy.items()):
        if kg > bk:
            bk = kg
            b = nm
    return b


def proceeds(harvests):
    """What the honey brings at the prices of its season."""
    s = 0
    for hv in harvests:
        pr = PRICES[season_of(hv['day'])]
        amt = hv['honey_kg'] * pr
        # a tenth stays with the family
        amt = amt * 0.9
        s += amt
    # round the sum
    return round(s, 2)


def water_warning(harvests):
    bad = []
    for hv in harvests:
      w = hv['water_percent']
      if w > 18.0:
        bad.append( (hv['hive'],hv['day'], w) )
    return bad


def harvest_table(all_harvests):
    """One row a hive: name, kg, kg a frame."""
    rows = []
    yy = yearly_yield(all_harvests)
    for nm, hs in sorted(by_hive(all_harvests).items()):
        k = yy.get(nm, 0.0)
        pf = yield_per_frame(hs)
        rows.append({'hive': nm, 'honey_kg': k, 'per_frame': pf})
    return rows
