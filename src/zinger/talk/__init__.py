"""The talk room: conversations, sans-IO: bytes and time in, actions out. Pure."""
