"""What is kept of measurements: under which key, and where.

figures       figures as they are kept: JSON, under the fingerprint of what was measured
fingerprints  hashes of all that feeds a point of a strip: equal hashes, equal sound
renders       where rendered audio and measurements are kept between measurings, by fingerprint
"""
