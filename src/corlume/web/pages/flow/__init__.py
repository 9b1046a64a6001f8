"""Pumps and flow."""
