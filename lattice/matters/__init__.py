"""Matters: findings by the mistake behind them, what a remedy would do, and the plan that puts most right.

Modules are imported by name: an audit needs no edits, and starts sooner without them.
"""
