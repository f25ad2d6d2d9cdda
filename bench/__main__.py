"""Everything there is to measure, one after the other; names on the command line choose."""

import sys

from bench import beds, browser, engine, measuring, prints, processors, routing

SUITES = {
    "processors": processors.run,
    "engine": engine.run,
    "beds": beds.run,
    "routing": routing.run,
    "measuring": measuring.run,
    "prints": prints.run,
    "browser": browser.run,
}

for name in sys.argv[1:] or SUITES:
    print(f"== {name}")
    SUITES[name]()
