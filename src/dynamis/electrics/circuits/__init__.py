"""Circuits between: networks solved, topologies, what they do as transfers, and their SPICE text and parts."""
