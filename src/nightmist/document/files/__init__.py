"""What comes in and goes out: the project file, pictures, maps and models handed off."""
