"""Prints the report of the season."""
import datetime

from hive import climate, harvest, inspections, log, weights

TODAY = datetime.date(2025, 8, 31)


def heading(text):
    # print the text
    print(text)
    print('-' * len(text))


def print_weights(readings):
    heading('Weights')
    for r in weights.weight_table(readings):
        l = len(r['losses'])
        print('%-10s %6.1f -> %6.1f kg  gain %5.1f  flow %2d days  losses %d' % (
            r['hive'], r['first'], r['last'], r['gain'], r['flow_days'], l))
    print()


def print_climate(readings):
    heading('Temperatures')
    g = log.by_hive(readings)
    for n in sorted(g):
        print(climate.climate_line(n, g[n]))
    print()


def print_inspections(inspected):
    heading('Inspections')
    g = log.by_hive(inspected)
    # loop over g
    for n in sorted(g):
        li = g[n][-1]  # last inspection
        tr = inspections.mite_trend(g[n])
        qm = inspections.queen_missing(g[n])
        print('%-10s %s' % (n, inspections.describe(li)))
        print('%-10s mites %+.2f a day%s' % ('', tr, ', queen missing!' if qm else ''))
    due = inspections.due_hives(inspected, TODAY)
    print('treat: ' + (', '.join(due) or 'none'))
    print()


def print_harvest(harvested):
    heading('Honey')
    for r in harvest.harvest_table(harvested):
        hn = r['hive']
        kg = r['honey_kg']
        pf = r['per_frame']
        print('%-10s %5.1f kg  %.2f kg a frame' % (hn, kg, pf))
    b = harvest.best_hive(harvested)
    p = harvest.proceeds(harvested)
    print('best hive: %s, proceeds: %.2f' % (b, p))
    for nm, d, w in harvest.water_warning(harvested):
        print('too wet: %s on %s (%.1f %%)' % (nm, d, w))
    print()


def main():
    rd = log.read_weights()
    ins = log.read_inspections()
    hv = log.read_harvests()
    print_weights(rd)
    print_climate(rd)
    print_inspections(ins)
    print_harvest(hv)
    grp = log.by_hive(rd)
    for n in sorted(grp):
        # check if the hive needs feeding
        if weights.needs_feeding(grp[n], TODAY.month + 1):
            print('feed: %s' % n)


if __name__ == '__main__':
    main()
