"""The people who can sign in to the demo; without the database, so that anything may ask."""

PASSWORD = "harbour-light"

# name, first and last name, roles, companies
PEOPLE = [
    ("ilva", "Ilva", "Marsten", ["expediter"], "both"),
    ("tobin", "Tobin", "Reave", ["approver"], "both"),
    ("hanne", "Hanne", "Osk", ["shipping"], "both"),
    ("pell", "Pell", "Adair", ["costs"], "both"),
    ("rua", "Rua", "Kettle", ["dock"], "KLN"),
    ("jessa", "Jessa", "Brindle", ["dock", "inspector"], "KLA"),
    ("odo", "Odo", "Fenn", ["inspector"], "KLN"),
    ("maris", "Maris", "Quay", ["accounts"], "both"),
    ("wyn", "Wyn", "Harrow", ["administrator"], "both"),
]
