from utter_calm.cli import main

main()
