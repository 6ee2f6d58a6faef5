"""Trimmers of an oscillator turned one after another, each until a reading is what it should be."""
