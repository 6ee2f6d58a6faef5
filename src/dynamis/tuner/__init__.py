"""Frequency from recorded sound."""
