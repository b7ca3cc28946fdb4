"""`python -m fatsignal.cli`."""

from fatsignal.cli import app

if __name__ == "__main__":
    app()
