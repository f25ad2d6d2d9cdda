"""Who feeds whom.

graph       edges made by outputs, sends and keys; order of processing; loops
solo        which strips stay audible while some are soloed
dependents  what else in a session refers to some strips, said before they are deleted
flow        the flow: strips in columns from tracks to mix, laid out by rule
groups      control groups: one level and mute over strips that are not summed
paths       every way a strip's signal reaches the mix, through outputs and sends
"""
