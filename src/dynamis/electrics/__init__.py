"""Where equipment meets: electrical nodes with their outputs and inputs."""
