"""Thrown water: particles that carry their motion, on a grid that keeps them apart (APIC)."""
