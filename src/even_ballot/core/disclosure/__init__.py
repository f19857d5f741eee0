"""Hiding small cells so that nobody can work them out from totals or from other tables.

`events` lists what a study's tables publish and how it adds up; `hiding` chooses what is hidden; `tables`
takes it out of them.
"""
