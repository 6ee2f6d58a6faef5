"""The window: shows what the core says and asks it for changes; the only room that knows Qt."""
