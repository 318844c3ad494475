"""Every edit of a job or of the shop: the only way to another one."""
