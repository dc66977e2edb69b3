"""Stages that come later."""
