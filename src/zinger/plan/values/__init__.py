"""Single values from what people write: each parser returns a typed value, or raises `BadValue` with what to write.

They take what stands in spreadsheets: a dotted mask or a prefix length, a hardware address in any notation, yes and no
in words, ranges of ports. Nothing here knows a setting or a device.
"""
