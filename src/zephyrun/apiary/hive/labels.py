"""Labels for the jars."""

MONTHS = ['January', 'February', 'March', 'April', 'May', 'June', 'July',
          'August', 'September', 'October', 'November', 'December']


def label_text(harvest):
    """What stands on a jar of one harvest."""
    value = harvest['day']
    if value is None:
        return harvest['hive']
    label = {'hive': harvest['hive'], 'day': value, 'month': MONTHS[value.month - 1]}
    return '{hive}, {month} {day.year}'.format(**label)


def get_labels(harvests, sheet):
    """Puts a label on the sheet for each harvest that is dry enough."""
    for harvest in harvests:
        isDry = harvest['water_percent'] <= 20
        if isDry:
            sheet.append(label_text(harvest))


def labels_by_hive(harvests):
    """The labels of each hive, in the order of their names."""
    sorted = {}
    for harvest in harvests:
        label = label_text(harvest)
        lable = sorted.setdefault(harvest['hive'], [])
        lable.append(label)
    return sorted


def hives_with_labels(harvests):
    return sorted({harvest['hive'] for harvest in harvests})
