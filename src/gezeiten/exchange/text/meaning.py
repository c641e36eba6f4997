"""What a column of numbers measures, by the words above it and its unit: said where both agree.

A unit alone names no quantity: what is in % need not be a humidity, what is in m no level. A
quantity whose unit the text does not say has none here: it is asked, never guessed.
"""

from __future__ import annotations

import re
from functools import cache

from gezeiten.domain.quantities.quantities import QUANTITIES, UNITS, ShownUnit, quantity
from gezeiten.domain.quantities.units import text_units

_SPELLED = {
    "°C": "c|degc|deg c|degrees c|celsius|grad c|°celsius|° c",
    "°F": "f|degf|deg f|fahrenheit|° f",
    "K": "kelvin",
    "%": "%rh|% rh|%rf|% rf|% r.f.|% r.h.|percent|prozent|pct|%sat|% sat|vol%|vol-%",
    "kPa": "kilopascal",
    "hPa": "mb|mbar|millibar",
    "bar": "bars",
    "mmHg": "mm hg|torr",
    "psi": "psia|psig|lbf/in2|lb/in2",
    "Pa": "pascal",
    "inHg": "in hg|in.hg|inches hg|in_hg",
    "mH2O": "m h2o|mwc|mws",
    "inH2O": "in h2o|inh20|in wc|inwc",
    "mS/cm": "ms cm-1|msiemens/cm",
    "µS/cm": "us/cm|umho/cm|us cm-1|microsiemens/cm",
    "m": "meter|metre|meters|metres|m ü. nhn",
    "ft": "foot|feet|ft.",
    "in": 'inch|inches|in.|"',
    "mph": "mi/h|miles/h|miles per hour",
    "ft/s": "fps|ft/sec|ft s-1",
    "cm/s": "cm/sec|cm s-1",
    "ft³/s": "cfs|ft3/s|ft^3/s|cu ft/s",
    "gal/min": "gpm|usgpm|us gal/min|gallons/min",
    "US gal": "gal|gallon|gallons|us gallon",
    "mL": "ml|milliliter|millilitre",
    "l": "liter|litre|liters|litres",
    "m³": "m3|m^3|cbm",
    "ft³": "ft3|ft^3|cu ft|cf",
    "m³/m³": "m3/m3|m^3/m^3|cm3/cm3|m3 m-3",
    "mA": "milliamp|milliampere",
    "kWh": "kw h|kilowatt hour|kilowatt hours",
    "Wh/m²": "wh/m2|wh/m^2|wh m-2",
    "kWh/m²": "kwh/m2|kwh/m^2|kwh m-2",
    "J/cm²": "j/cm2|j/cm^2",
    "MJ/m²": "mj/m2|mj/m^2|mj m-2",
    "kW/m²": "kw/m2|kw/m^2",
    "klx": "klux",
    "pCi/L": "pci/l",
    "cm": "centimeter|centimetre",
    "mm": "millimeter|millimetre",
    "m/s": "m/sec|ms-1|m s-1|mps",
    "km/h": "kmh|kph|km/hr",
    "kn": "kt|kts|knots|knoten",
    "m³/s": "m3/s|m^3/s|cbm/s|cms",
    "l/s": "lps|l/sec",
    "m³/h": "m3/h|m^3/h|cbm/h",
    "ppm": "ppmv",
    "ppb": "ppbv",
    "µg/m³": "ug/m3|ug/m^3|µg/m3|µg/m^3|mcg/m3",
    "mg/m³": "mg/m3|mg/m^3",
    "mg/l": "mg l-1",
    "µg/l": "ug/l",
    "V": "volt|volts",
    "mV": "millivolt",
    "A": "amp|ampere|amps",
    "W": "watt",
    "W/m²": "w/m2|w/m^2|wm-2|w m-2|watt/m2",
    "lx": "lux",
    "°": "deg|degree|degrees|grad",
    "µmol/(m²·s)": "umol/m2/s|µmol/m2/s|umol m-2 s-1|µmol m-2 s-1|µmol/m²/s",
    "dB(A)": "dba|db",
    "NTU": "fnu",
    "Bq/m³": "bq/m3",
    "kg": "kilogram",
    "g/m³": "g/m3|g/m^3",
    "per m³": "1/m3|#/m3|/m3|cts/m3|counts/m3",
    "per l": "1/l|#/l|/l|counts/l",
    "per ft³": "#/ft3|/ft3|counts/ft3",
    "per 0.01 ft³": "/0.01 ft3|#/0.01 ft3",
}
"""Other ways of writing units, by the name that they have here."""
_SAME = {"mbar": "hPa", "hPa": "mbar"}
"""Two names of one unit, of which quantities have one or the other."""
_WORDS: tuple[tuple[str, str], ...] = (
    (r"water.*temp|wtemp|temp.*wa(t|ss)er|wassertemp|temp.*eau|temp.*agua", "water_temperature"),
    (r"soil.*temp|bodentemp|temp.*boden|temp.*sol\b", "soil_temperature"),
    (r"surf.*temp|oberfl.*temp", "surface_temperature"),
    (r"dew.?point|taupunkt|point de ros|punto de roc", "dew_point"),
    (r"globe", "globe_temperature"),
    (r"temp|\bt(air)?\b|°c|lufttemp", "air_temperature"),
    (r"soil.*(moist|water)|bodenfeucht|\bvwc\b", "soil_moisture"),
    (r"hum|\brh\b|\brf\b|feucht", "relative_humidity"),
    (r"spec.*cond|sc25|ec25|leitf.*25", "specific_conductance"),
    (r"cond|\bec\b|leitf", "conductivity"),
    (r"salin|salz", "salinity"),
    (r"diff.*press|differenzdruck", "differential_pressure"),
    (r"baro|air.?press|atm.*press|luftdruck|\bqfe\b|press.*atm", "air_pressure"),
    (
        r"gauge.?press|press.*\bgauge|relativ.?druck|[üu]berdruck|vented|press.*\brel|psig",
        "gauge_pressure",
    ),
    (r"press|druck|presi[oó]n|druk", "water_pressure"),
    (r"press|druck", "air_pressure"),
    (r"depth to water|abstich|flurabstand|\bdtw\b", "depth_to_water"),
    (r"level|stage|pegel|wasserstand|niveau|nivel|gauge height", "water_level"),
    (r"snow|schnee|neige|nieve|neve|sneeuw", "snow_depth"),
    (r"depth|tiefe|profondeur", "water_depth"),
    (r"discharge|abfluss|durchfluss|d[ée]bit|caudal|afvoer|\bflow\b", "discharge"),
    (r"velocity|geschwindigkeit", "flow_velocity"),
    (r"co2|co₂|carbon dioxide|kohlendioxid", "co2"),
    (r"\bco\b|carbon monoxide", "carbon_monoxide"),
    (r"\bno2\b|nitrogen dioxide|stickstoffdioxid", "nitrogen_dioxide"),
    (r"\bno\b|nitrogen monoxide", "nitrogen_monoxide"),
    (r"\bo3\b|ozon", "ozone"),
    (r"\bso2\b|sulphur|sulfur|schwefeldioxid", "sulphur_dioxide"),
    (r"\bvoc\b|tvoc", "voc"),
    (r"radon", "radon"),
    (r"pm[ _]?10", "pm10"),
    (r"pm[ _]?2[.,_]?5|feinstaub", "pm25"),
    (r"pm[ _]?4", "pm4"),
    (r"pm[ _]?1\b", "pm1"),
    (r"rain|precip|niederschlag|pluie|lluvia|pioggia|regen|neerslag", "precipitation"),
    (r"wind.*(dir|richt)|richtung|\bwd\b|dir.*vent|direction", "wind_direction"),
    (r"gust|b[öo]e|windspitze|rafale", "wind_gust"),
    (r"wind|\bws\b|vent\b|viento|vento", "wind_speed"),
    (r"global|solar|strahlung|irradi|\bghi\b|rayonnement|radiant|insolation", "radiant_exposure"),
    (r"global|solar|strahlung|irradi|\bghi\b|rayonnement", "global_radiation"),
    (r"\bpar\b|ppfd", "photosynthetic_radiation"),
    (r"\blux\b|illum|beleucht|light", "illuminance"),
    (r"uv.?index|\buvi\b", "uv_index"),
    (r"\buv\b|ultraviolet", "ultraviolet_radiation"),
    (r"dissolved.*ox|\bdo\b|sauerstoff|oxyg", "dissolved_oxygen"),
    (r"oxyg.*sat|sauerstoffs[äa]tt|\bdo\b|sauerstoff|oxyg", "oxygen_saturation"),
    (r"\bph\b", "ph"),
    (r"redox|\borp\b", "redox_potential"),
    (r"turb|tr[üu]b", "turbidity"),
    (r"chloro|\bchl", "chlorophyll_a"),
    (r"laeq|sound|noise|schall|l[äa]rm", "sound_level"),
    (r"batt|\bvbat", "battery_voltage"),
    (r"volt|spannung", "voltage"),
    (r"current|strom\b", "current"),
    (r"power|leistung", "power"),
    (r"energy|energie", "energy"),
    (r"state of charge|\bsoc\b|ladezustand", "state_of_charge"),
    (r"volume|volumen|meter reading|zählerstand", "volume"),
    (r"mass|weight|gewicht|masse", "mass"),
)
"""Words above columns, the narrower before the wider."""
_PRESSURES = frozenset({"water_pressure", "air_pressure"})
_SAID_WHICH = re.compile(r"abs|atm|baro|air|luft")
_ONE_UNIT = frozenset(
    {
        "relative_humidity",
        "state_of_charge",
        "oxygen_saturation",
        "wind_direction",
        "ph",
        "sound_level",
        "turbidity",
    }
)
"""Quantities that nobody gives in another unit than the recorded one; all others are asked."""
_IN_BRACKETS = re.compile(r"[(\[]([^()\[\]]{1,30})[)\]]")
_LONGEST_UNIT, _LONGEST_WORDS = 14, 300
_NUMBERED = re.compile(r"\b(no|nr|number|index|record|rec|id|nummer|lfd)\b|#")


def meaning(words: str, unit: str) -> tuple[str, str]:
    """Return quantity and unit, as they are named here, of a column of a text; "" where it is not
    said.

    Args:
        words: what stands above it; unit: as the text has it, "" where it has none.
    """
    words = words[:_LONGEST_WORDS].lower()
    if _plain(unit) == "psig":
        return "gauge_pressure", "psi"
    known = unit_named(unit)
    if unit and not known:
        return "", ""
    own = [one for one in QUANTITIES.values() if _is_name(words, one.name.lower())]
    if own:  # as our own files say it
        named = max(own, key=lambda one: len(one.name))
        found = _with_unit(named.key, known)
        if found[0]:
            return found
    if _NUMBERED.search(words):
        return "", ""
    for pattern, key in _WORDS:
        if re.search(pattern, words):
            if _plain(unit) == "psi" and key in _PRESSURES and not _SAID_WHICH.search(words):
                return "", known  # absolute or gauge is not said
            found = _with_unit(key, known)
            if found[0]:
                return found
    return "", known


def _with_unit(key: str, unit: str) -> tuple[str, str]:
    """Return a quantity with its unit; where the text says none, the only one there is."""
    units = _units_of(key)
    if unit:
        same = next((one for one in (unit, _SAME.get(unit, "")) if one and one in units), "")
        if not same and any(one.startswith(f"{unit} (") for one in units):
            return key, ""  # at which temperature and pressure is asked
        return (key, same) if same else ("", unit)
    return key, units[0] if key in _ONE_UNIT or not units[0] else ""


def _units_of(key: str) -> tuple[str, ...]:
    return tuple(text_unit.name for text_unit in text_units(quantity(key)))


def _is_name(words: str, name: str) -> bool:
    """Whether the words above a column are a name, alone or with a unit, a label behind it."""
    rest = words[len(name) :].strip()
    return words.startswith(name) and (not rest or rest[0] in "[(,/")


def trailing_unit(words: str) -> str:
    """Return the unit that stands behind the words above a column, "" without one: in brackets, or
    as the last word (of more than one letter: "Sensor A" is in no ampere)."""
    for found in _IN_BRACKETS.finditer(words[:_LONGEST_WORDS]):
        unit = found[1].strip()
        if 0 < len(unit) <= _LONGEST_UNIT:
            return unit
    *before, last = re.split(r"[\s,_]+", words.strip())
    return last if before and (len(last) > 1 or last in "%°") and unit_named(last) else ""


def unit_named(text: str) -> str:
    """Return the unit that a text writes in its own way, "" where none is known by that."""
    return _spellings().get(_plain(text), "")


def _plain(text: str) -> str:
    return " ".join(text.replace("μ", "µ").replace("º", "°").lower().split())


@cache
def _spellings() -> dict[str, str]:
    """Units by how a text may write them; ours by their own names first."""
    names = {unit for one in QUANTITIES.values() for unit in _units_of(one.key)}
    found = {_plain(name): name for name in sorted(names)}
    for unit in UNITS.values():  # as UCUM writes them
        for one in (ShownUnit(unit.name, ucum=unit.ucum), *unit.shown, *unit.texts):
            found.setdefault(_plain(one.ucum), one.name)
    for name, others in _SPELLED.items():
        for other in others.split("|"):
            found.setdefault(_plain(other), name)
    return found
