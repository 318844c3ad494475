"""Solids: what the CAD kernel reads of a model, and triangle solids for cutting and touching."""
