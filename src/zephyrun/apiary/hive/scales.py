"""What the scales under the hives send, a line at a time."""


class Scale:
    """A scale under one hive. It sends what hive and honey weigh together."""

    def __init__(self, hive, tare):
        self.hive = hive
        self.tr = float(tare)
        self.weights = []

    def read(self, line):
        self.weights.append(_prs_ln(line) - self.tr)


def _prs_ln(line):
    """Parse a line that a scale has sent, such as "gross: 32,5 kg"."""
    number = line.rpartition(':')[2].strip().removesuffix('kg')
    return float(number.replace(',', '.'))


def heavy_hives(scales, lim):
    """The hives with a reading above the limit, in the order of their scales."""
    hives = []
    for scale in scales:
        if max(scale.weights, default=0) > lim:
            hives.append(scale.hive)
    return hives


def hives_to_harvest(scales, limit=25):
    return sorted(heavy_hives(scales, lim=limit))
