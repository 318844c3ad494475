"""The offset register: what every work offset of a machine holds, for whom, and where its numbers came from."""
