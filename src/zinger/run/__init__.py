"""The run room: carries devices through their stages, many at once."""
