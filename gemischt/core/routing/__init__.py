"""Who feeds whom.

graph  edges made by outputs, sends and keys; order of processing; loops
groups gains of control groups
solo   which strips stay audible while some are soloed
"""
