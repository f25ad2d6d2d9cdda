"""What distance does to a sound in air.

Level: as 1 / r from what is small. Highs: ISO 9613-1:1993, equations 3 to 5 (from memory): oxygen and nitrogen relax at
frequencies of their own, which depend on how much water there is in the air.
"""

import math

_REFERENCE_KPA = 101.325
_REFERENCE_K, _TRIPLE_K, _ZERO_K = 293.15, 273.16, 273.15


def distance_to_db(distance_m: float, *, before_m: float = 1.0) -> float:
    """How much louder what stood ``before_m`` away is at another distance.

    >>> round(distance_to_db(2.0), 2)
    -6.02
    """
    return -20.0 * math.log10(distance_m / before_m)


def air_absorption_db_per_m(
    frequency_hz: float, *, temperature_c: float = 20.0, humidity: float = 0.5, pressure_kpa: float = _REFERENCE_KPA
) -> float:
    """What air takes of a tone, dB per metre; ``humidity`` relative, 0 to 1."""
    kelvin = temperature_c + _ZERO_K
    warm, pressure = kelvin / _REFERENCE_K, pressure_kpa / _REFERENCE_KPA
    saturation = 10.0 ** (-6.8346 * (_TRIPLE_K / kelvin) ** 1.261 + 4.6151)
    water_percent = 100.0 * humidity * saturation / pressure
    oxygen_hz = pressure * (24.0 + 4.04e4 * water_percent * (0.02 + water_percent) / (0.391 + water_percent))
    nitrogen_hz = pressure * warm**-0.5 * (9.0 + 280.0 * water_percent * math.exp(-4.17 * (warm ** (-1.0 / 3.0) - 1.0)))
    square = frequency_hz * frequency_hz
    classical = 1.84e-11 / pressure * math.sqrt(warm)
    oxygen = 0.01275 * math.exp(-2239.1 / kelvin) / (oxygen_hz + square / oxygen_hz)
    nitrogen = 0.1068 * math.exp(-3352.0 / kelvin) / (nitrogen_hz + square / nitrogen_hz)
    relaxing: float = warm**-2.5 * (oxygen + nitrogen)
    return 8.686 * square * (classical + relaxing)
