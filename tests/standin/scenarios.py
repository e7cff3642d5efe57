"""Eight scenarios in ordinary wording, each with a worse and a better prompt for the same cases.

WORKED is what the reading of labels and fields was mended by, HELD was written afterwards and is
only looked at. Each: name, cases (text, what is right), the worse prompt, the better one.
"""

WORKED = []
# 1 library desk: labels after a colon, definitions after commas
WORKED.append(
    (
        "desk",
        [
            ("My card does not open the door any more.", "access"),
            ("I would like to keep the atlas two more weeks.", "renewal"),
            ("The heating in the reading room is broken.", "building"),
            ("How do I reserve the third volume?", "reservation"),
            ("Please put me on the list for the new novel.", "reservation"),
            ("The lamp at desk nine flickers.", "building"),
            ("Can I have the loan of my two books made longer?", "renewal"),
            ("The gate does not take my pass.", "access"),
            ("A window on the stairs is cracked.", "building"),
            ("May I extend the due date of the guide?", "renewal"),
            ("I lost my password for the catalogue.", "access"),
            ("Set the map aside for me until Friday.", "reservation"),
        ],
        "Look at what the reader wants: {{m}}",
        "Decide which desk a reader's note goes to. The desks: access, renewal, reservation, building.\n\naccess: cards, passes, passwords, doors and gates that do not open\nrenewal: keeping a book longer, extending the loan or the due date\nreservation: books to be put aside, a place on the list, reserving a volume\nbuilding: broken things in the rooms, lamps, windows, heating\n\nAnswer with the one word for the desk and nothing else.\n\nNote: {{m}}",
        "label",
    )
)
# 2 plant clinic: dash definitions
WORKED.append(
    (
        "plants",
        [
            ("The leaves are yellow and the soil is soaked.", "too wet"),
            ("White cotton under the leaves, sticky all over.", "insects"),
            ("Brown crisp edges, the pot is light as a feather.", "too dry"),
            ("Long pale shoots that lean to the window.", "too dark"),
            ("Tiny green flies on every bud.", "insects"),
            ("It droops, and the earth is dusty.", "too dry"),
            ("The roots smell rotten and water stands in the saucer.", "too wet"),
            ("It stands in the hall without a window and grows thin.", "too dark"),
            ("Little webs and mites between the leaves.", "insects"),
            ("Nobody watered it for three weeks.", "too dry"),
            ("Moss on the soil, the saucer is full of water.", "too wet"),
            ("It gets no sun behind the curtain.", "too dark"),
        ],
        "What is it? {{m}}",
        "You help people with their house plants. Tell the cause from the description.\n\nChoose from these causes\n- too wet - soaked soil, standing water, rotten roots, moss\n- too dry - dusty or light soil, crisp brown edges, not watered\n- too dark - long pale shoots, no window, no sun, thin growth\n- insects - flies, mites, webs, sticky or cotton-like spots\n\nGive the cause exactly as written above, without any other word.\n\nDescription: {{m}}",
        "label",
    )
)
# 3 keys with types
WORKED.append(
    (
        "lost",
        [
            (
                "Found a red umbrella on tram 12 at 8:40.",
                {"item": "umbrella", "colour": "red", "line": 12},
            ),
            (
                "A black bag was left on tram 3 at 17:05.",
                {"item": "bag", "colour": "black", "line": 3},
            ),
            (
                "Someone forgot a blue scarf, tram 7, 11:20.",
                {"item": "scarf", "colour": "blue", "line": 7},
            ),
            (
                "Green hat on tram 5, handed in at 9:15.",
                {"item": "hat", "colour": "green", "line": 5},
            ),
            (
                "A white glove lay in tram 9 at 14:30.",
                {"item": "glove", "colour": "white", "line": 9},
            ),
            ("Brown wallet in tram 4, 22:10.", {"item": "wallet", "colour": "brown", "line": 4}),
            (
                "A grey umbrella stands in tram 2 since 6:50.",
                {"item": "umbrella", "colour": "grey", "line": 2},
            ),
            ("Yellow bag, tram 8, found 13:45.", {"item": "bag", "colour": "yellow", "line": 8}),
        ],
        "Note down what was found: {{m}}",
        "Turn the driver's note into a record.\n\nFields:\n  item (string; one of umbrella, bag, scarf, hat, glove, wallet)\n  colour (string; one of red, black, blue, green, white, brown, grey, yellow)\n  line (integer): the number of the tram\n\nReturn the record as a JSON object with these fields, no prose.\n\nNote: {{m}}",
        "json",
    )
)
# 4 inline examples
WORKED.append(
    (
        "tone",
        [
            ("What a lovely evening, thank you all!", "glad"),
            ("I have waited an hour and nobody came.", "annoyed"),
            ("Could you tell me when the hall opens?", "asking"),
            ("The soup was cold again, this is a disgrace.", "annoyed"),
            ("Is there a lift to the balcony?", "asking"),
            ("We enjoyed every minute of it.", "glad"),
            ("Never have I been treated so badly.", "annoyed"),
            ("Which door leads to the stalls?", "asking"),
            ("The choir was wonderful, we were delighted.", "glad"),
            ("Do you have seats in row four?", "asking"),
            ("Your ticket line is useless and rude.", "annoyed"),
            ("Thanks, it was a great night.", "glad"),
        ],
        "Say something about the mood of this: {{m}}",
        'Sort what guests write by its mood: glad, annoyed or asking.\nglad, when they thank or praise; annoyed, when they complain or are cross; asking, when they want to know something.\nFor instance "The view was splendid" is glad, "Nobody answered my letter" is annoyed and "Where is the cloakroom?" is asking.\nOnly the mood, in lower case.\n\nGuest: {{m}}',
        "label",
    )
)
HELD = []
HELD.append(
    (
        "hotel",
        [
            ("There are no towels in room 12.", "Housekeeping"),
            ("The bill shows a night too many.", "Desk"),
            ("Could we have breakfast at six?", "Kitchen"),
            ("My key card stopped working.", "Desk"),
            ("The bed was not made today.", "Housekeeping"),
            ("Is the soup without milk?", "Kitchen"),
            ("Please change our booking to three nights.", "Desk"),
            ("The bathroom needs cleaning.", "Housekeeping"),
            ("Lunch came cold to our table.", "Kitchen"),
            ("We need another blanket and a pillow.", "Housekeeping"),
        ],
        "A guest says: {{m}}",
        "Pass each guest's wish on to the team that sees to it. Possible teams: Housekeeping (towels, beds, blankets, pillows, cleaning), Kitchen (breakfast, lunch, meals, soup, food) or Desk (keys, key cards, bills, bookings).\n\nWrite the team and nothing more.\n\nWish: {{m}}",
        "label",
    )
)
HELD.append(
    (
        "allotment",
        [
            ("The gate to plot 14 hangs loose.", "repair"),
            ("When is the next meeting?", "information"),
            ("The couple from plot 3 burn plastic again.", "complaint"),
            ("The tap by the shed drips all night.", "repair"),
            ("May I put up a greenhouse?", "permission"),
            ("Loud music every Sunday from plot 9.", "complaint"),
            ("Who keeps the list of free plots?", "information"),
            ("I would like to cut down the old pear tree.", "permission"),
            ("The fence is broken behind plot 20.", "repair"),
            ("Is keeping two hens allowed?", "permission"),
        ],
        "{{m}}\nWhat now?",
        "You sort the mail of a gardening club into four trays.\n\n1. repair = something is broken, loose, dripping or leaking\n2. complaint = someone is bothered by another member: noise, smoke, burning, music\n3. permission = someone wants to build, cut down or keep something, or asks if it is allowed\n4. information = someone asks when, who or where\n\nName the tray, one word, no explanation.\n\nMail: {{m}}",
        "label",
    )
)
HELD.append(
    (
        "dinner",
        [
            (
                "Table for Lund, four people, Friday at 19:30.",
                {"name": "Lund", "guests": 4, "day": "Friday", "time": "19:30"},
            ),
            (
                "Brandt here, we are 2, Sunday 12:15 please.",
                {"name": "Brandt", "guests": 2, "day": "Sunday", "time": "12:15"},
            ),
            (
                "Monday at 20:00 for Okafor, 6 guests.",
                {"name": "Okafor", "guests": 6, "day": "Monday", "time": "20:00"},
            ),
            (
                "A table for 3, name Sorel, Thursday, 18:45.",
                {"name": "Sorel", "guests": 3, "day": "Thursday", "time": "18:45"},
            ),
            (
                "Saturday 13:00, 5 persons, Ibsen.",
                {"name": "Ibsen", "guests": 5, "day": "Saturday", "time": "13:00"},
            ),
            (
                "Tuesday 19:00 for 8, on the name of Marlow.",
                {"name": "Marlow", "guests": 8, "day": "Tuesday", "time": "19:00"},
            ),
        ],
        "Write this down for the kitchen: {{m}}",
        'Take a reservation apart. Answer with JSON only, shaped like {"name": string, "guests": number, "day": "name of the weekday", "time": "HH:MM"}.\n\nReservation: {{m}}',
        "json",
    )
)
HELD.append(
    (
        "pager",
        [
            ("Smoke comes out of the server room!", "wake"),
            ("The monthly report has a typo.", "wait"),
            ("Nobody can log in since ten minutes.", "wake"),
            ("A logo is off by two pixels.", "wait"),
            ("The database is down.", "wake"),
            ("Please add a field to the form some day.", "wait"),
            ("Payments fail for everyone.", "wake"),
            ("The footer names last year.", "wait"),
            ("Water is running into the rack.", "wake"),
            ("Could the buttons be greener?", "wait"),
        ],
        "Is this bad? {{m}}",
        "An alert came in at night. Decide: wake or wait.\n\n- wake: smoke, water, fire; the database or the service is down; payments fail; nobody can log in\n- wait: everything else, such as typos, looks and wishes\n\nOnly that one word.\n\nAlert: {{m}}",
        "label",
    )
)
