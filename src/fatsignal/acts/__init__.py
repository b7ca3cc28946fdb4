"""Acts of the job that join store, files and core: enter a roll, import a DI, render a print, hand over."""
