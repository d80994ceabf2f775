"""Drumbo: a calibration workbench for 3D-printing materials."""

__version__ = "0.1.0"
