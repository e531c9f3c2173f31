"""Bytes to frames: line ends, checksums, RTCM 3, and the printable form of hostile bytes."""
