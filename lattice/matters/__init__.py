"""Issues: findings by their cause, the effect of a fix, and the plan that resolves most.

Modules are imported by name: an audit needs no edits, and starts sooner without them.
"""
