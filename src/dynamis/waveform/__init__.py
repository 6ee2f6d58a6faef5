"""Volts against time: what levels, edges and lengths a trace has."""
