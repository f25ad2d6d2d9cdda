"""Who feeds whom.

graph  edges made by outputs, sends and keys; order of processing; loops
solo   which strips stay audible while some are soloed
"""
