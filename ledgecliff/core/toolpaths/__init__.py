"""Toolpath programs read as a stream: what they call, and how far they go by work offset and tool."""
