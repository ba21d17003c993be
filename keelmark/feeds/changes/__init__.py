"""The one room from which anything is written to far ends.

Who may, what may be written, one change of a thing at a time, asked once however often it is
sent, compared with what was seen, read back, kept in the audit, and with a way back.
"""
