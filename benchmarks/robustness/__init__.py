"""An enemy's trial of the running application. `python -m benchmarks.robustness
[kills|files|requests|load|races|size|browser]`; see docs/robustness.md.
"""
