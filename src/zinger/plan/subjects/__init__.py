"""What can be planned, a folder a subject: its models, its settings and its checks stand together, since they change
together. A subject knows no other's checks; what spans subjects stands in `across`.
"""
