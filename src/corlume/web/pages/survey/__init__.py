"""Surveys, photos and balancing by meter."""
