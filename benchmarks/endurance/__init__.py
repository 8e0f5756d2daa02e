"""An enemy's trial of the running application. `python -m benchmarks.endurance
[kills|files|requests|load|races|size|browser]`; see docs/endurance.md.
"""
