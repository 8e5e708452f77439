"""Django's command line for the web application."""

from web.config.command import main

if __name__ == "__main__":
    main()
