"""Outcomes written as tables of a database: whole in one transaction, or the old one stays."""
