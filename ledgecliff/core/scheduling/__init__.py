"""What a machine does in which order: tasks at stations, their order with its bound, flow or batch, loads of a backlog.

Plain numbers and names: nothing here knows of parts or plans (docs/methods/run-order.md).
"""
