"""What a plan depends on, looked up once and made values, so that planning asks nobody."""
