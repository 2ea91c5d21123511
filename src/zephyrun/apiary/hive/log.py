"""Reads the logs that the scales and the beekeepers write."""
import csv
import datetime
import os

# the folder with the csv files
FOLDER = os.path.join(os.path.dirname(os.path.dirname(os.path.abspath(__file__))), 'data')


def parse_day(text):
    # split the text
    p = text.strip().split('-')
    return datetime.date(int(p[0]), int(p[1]), int(p[2]))


def read_rows(name):
    """Rows of one csv file as dictionaries."""
    rows = []
    # open the file
    with open(os.path.join(FOLDER, name), newline='') as f:
        for r in csv.DictReader(f):
            # skip empty lines
            if not any(r.values()):
                continue
            cleaned = {k.strip(): (v or '').strip() for k, v in r.items()}
            rows.append(cleaned)
    # return the rows
    return rows


def read_weights(name='weights.csv'):
    """Readings of the scales: hive, day, weight in kg, temperature."""
    readings = []
    for r in read_rows(name):
        d = parse_day(r['day'])
        w = float(r['weight_kg'])
        # the old scales send 999 when they are frozen
        if w > 200: continue
        t = r['temperature']
        # check if the temperature is empty
        if t == '': t = None
        else: t = float(t)
        # append the reading
        readings.append({'hive': r['hive'], 'day': d, 'weight': w, 'temperature': t})
    return readings


def read_inspections(name='inspections.csv'):
    inspections = []
    for r in read_rows(name):
        m = int(r['mites'])
        q = r['queen_seen'].lower() in ('y', 'yes', '1')
        inspections.append({'hive': r['hive'], 'day': parse_day(r['day']), 'mites': m, 'queen_seen': q, 'note': r['note']})
    return inspections


def read_harvests(name='harvests.csv'):
    harvests = []
    for r in read_rows(name):
        h = r['hive']
        fr = int(r['frames'])
        kg = float(r['honey_kg'])
        wtr = float(r['water_percent'])
        harvests.append({'hive': h, 'day': parse_day(r['day']), 'frames': fr, 'honey_kg': kg, 'water_percent': wtr})
    return harvests


def by_hive(records):
    """Group records by their hive, in the order of days."""
    groups = {}
    for rec in records:
        # get the hive
        h = rec['hive']
        if h not in groups:
            groups[h] = []
        groups[h].append(rec)
    for h in groups:
        groups[h].sort(key=lambda rec: rec['day'])
    return groups
