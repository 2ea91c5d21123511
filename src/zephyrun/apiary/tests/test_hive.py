import contextlib
import datetime
import io
import unittest

import season_report
from hive import climate, harvest, inspections, labels, log, scales, weights

DAY = datetime.date(2025, 5, 1)


def reading(offset, weight, temperature=15.0):
    day = DAY + datetime.timedelta(days=offset)
    return {'hive': 'linden', 'day': day, 'weight': weight, 'temperature': temperature}


class LogTest(unittest.TestCase):
    def test_frozen_scales_are_left_out(self):
        self.assertTrue(all(each['weight'] < 200 for each in log.read_weights()))

    def test_groups_are_in_order(self):
        for group in log.by_hive(log.read_weights()).values():
            days = [each['day'] for each in group]
            self.assertEqual(days, sorted(days))

    def test_queen_seen(self):
        self.assertIn(True, [each['queen_seen'] for each in log.read_inspections()])


class WeightsTest(unittest.TestCase):
    def test_gain(self):
        self.assertEqual(weights.gain([reading(0, 40.0), reading(3, 43.5)]), 3.5)
        self.assertEqual(weights.gain([]), 0.0)

    def test_gaps_are_spread(self):
        self.assertEqual(weights.daily_gains([reading(0, 40.0), reading(4, 42.0)]), [0.5] * 4)

    def test_longest_flow(self):
        self.assertEqual(weights.longest_flow([0.4, 0.5, 0.1, 0.3, 0.3, 0.9]), 3)

    def test_sudden_losses(self):
        self.assertEqual(
            weights.sudden_losses([reading(0, 45.0), reading(1, 42.0)]),
            [(DAY + datetime.timedelta(days=1), 3.0)])

    def test_needs_feeding(self):
        self.assertTrue(weights.needs_feeding([reading(0, 40.0)], 9))
        self.assertFalse(weights.needs_feeding([reading(0, 60.0)], 9))


class ClimateTest(unittest.TestCase):
    def test_mean(self):
        self.assertAlmostEqual(climate.mean_temperature([reading(0, 1, 10.0), reading(1, 1, 68.0)]), 15.0)
        self.assertIsNone(climate.mean_temperature([reading(0, 1, None)]))

    def test_cold_spells(self):
        cold = [reading(day, 1, 2.0) for day in range(4)]
        self.assertEqual(climate.cold_spells(cold), [(cold[0]['day'], cold[3]['day'])])

    def test_line(self):
        self.assertEqual(
            climate.climate_line('linden', [reading(0, 1, 20.0)]),
            'linden: 20.0 degrees, good, 1 flying days, 0 cold spells')


class InspectionsTest(unittest.TestCase):
    def test_trend(self):
        first = {'day': DAY, 'mites': 1}
        last = {'day': DAY + datetime.timedelta(days=10), 'mites': 6}
        self.assertEqual(inspections.mite_trend([first, last]), 0.5)

    def test_queen_missing(self):
        seen, unseen = {'queen_seen': True}, {'queen_seen': False}
        self.assertTrue(inspections.queen_missing([seen, unseen, unseen]))
        self.assertFalse(inspections.queen_missing([unseen, unseen, seen]))

    def test_trace(self):
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            inspections.trace_hive('linden', [{'day': DAY, 'mites': 1}], DAY)
        self.assertEqual(out.getvalue(), 'linden: ds=0 tr=0.00\n')


class HarvestTest(unittest.TestCase):
    def test_yearly_yield_leaves_wet_honey_out(self):
        harvests = [
            {'hive': 'linden', 'honey_kg': 10.0, 'water_percent': 17.0},
            {'hive': 'linden', 'honey_kg': 4.0, 'water_percent': 21.0}]
        self.assertEqual(harvest.yearly_yield(harvests), {'linden': 10.0})

    def test_proceeds(self):
        self.assertEqual(harvest.proceeds([{'day': DAY, 'honey_kg': 10.0}]), 99.0)


class LabelsTest(unittest.TestCase):
    def test_wet_honey_gets_no_label(self):
        harvests = [
            {'hive': 'linden', 'day': DAY, 'water_percent': 17.0},
            {'hive': 'linden', 'day': None, 'water_percent': 21.0}]
        sheet = []
        labels.get_labels(harvests, sheet)
        self.assertEqual(sheet, ['linden, May 2025'])
        self.assertEqual(labels.labels_by_hive(harvests), {'linden': ['linden, May 2025', 'linden']})
        self.assertEqual(labels.hives_with_labels(harvests), ['linden'])


class ScalesTest(unittest.TestCase):
    def test_heavy_hives_are_to_be_harvested(self):
        north, south = scales.Scale('north', 12), scales.Scale('south', '12.5')
        north.read('gross: 40,5 kg')
        south.read('gross: 30 kg')
        self.assertEqual(scales.hives_to_harvest([south, north]), ['north'])
        self.assertEqual(scales.heavy_hives([south, north], lim=10), ['south', 'north'])


class ReportTest(unittest.TestCase):
    def test_report_runs(self):
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            season_report.main()
        self.assertIn('best hive: heather', out.getvalue())


if __name__ == '__main__':
    unittest.main()
