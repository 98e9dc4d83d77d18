"""Errands: what a conversation is sent to do, written as straight-line generators over the map.

An errand always looks where the device is before it sends anything, so an errand that is begun again after any
interruption does the right thing from wherever it finds itself. No errand knows on which surface it runs.
"""
