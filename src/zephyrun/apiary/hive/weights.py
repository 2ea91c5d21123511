"""What the scales tell: gain, flow, robbing, winter stores."""
from hive.log import by_hive


def gain(readings):
    """Weight gained from the first reading to the last, in kg."""
    if len(readings) < 2:
        return 0.0
    a = readings[0]['weight']
    b = readings[-1]['weight']
    # return the difference
    return b - a


def daily_gains(readings):
    """Gain for each day between two readings; gaps are spread evenly."""
    gains = []
    p = None
    for r in readings:
        if p is not None:
            d = (r['day'] - p['day']).days  # elapsed days
            if d > 0:
                g = (r['weight'] - p['weight']) / d
                for n in range(d):
                    gains.append(g)
        # set p to r
        p = r
    return gains


def longest_flow(gains, least=0.3):
    """The longest run of days on which the hive gained at least so much."""
    b = 0  # longest run
    c = 0  # current run
    for g in gains:
        if g >= least:
            # increment c
            c += 1
            if c > b:
                b = c
        else:
            c = 0
    return b


def sudden_losses(readings, kg=2.5):
    """Days on which a hive lost much at once: swarming, robbing, or a harvest."""
    losses = []
    for i in range(1, len(readings)):
        x = readings[i - 1]
        y = readings[i]
        l = x['weight'] - y['weight']  # lost weight
        if l >= kg:
            losses.append((y['day'], round(l, 2)))
    return losses


def needs_feeding(readings, month):
    # from september on a hive needs 18 kg of stores, 15 is enough for a small one
    if not readings:
        return False
    w = readings[-1]['weight']
    # tare of the hive
    e = 32.5
    s = w - e  # winter stores
    if month >= 9 or month <= 3:
        if s < 18:
            return True
    return False


def weight_table(all_readings):
    """One row a hive: name, first, last, gain, longest flow, losses."""
    tbl = []
    grp = by_hive(all_readings)
    for nm in sorted(grp):
        rs = grp[nm]
        gs = daily_gains(rs)
        fl = longest_flow(gs)
        ls = sudden_losses(rs)
        # append the row
        tbl.append({'hive': nm, 'first': rs[0]['weight'], 'last': rs[-1]['weight'], 'gain': gain(rs), 'flow_days': fl, 'losses': ls})
    return tbl
