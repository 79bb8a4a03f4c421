"""What is refused in house checks and tapes, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "house.no-folder": "There is no folder {folder} with house checks; {variable} names it.",
        "house.no-station": "{where} offers no station: it must hold a Station named STATION.",
        "house.wrong-id": "{where}: the id {id} does not begin with the station's {slug}.",
        "house.wrong-slug": "{where}: the slug {slug:quoted} must be small letters of a to z, with hyphens between.",
        "house.cannot-load": "The house checks in {what} cannot be loaded: {kind}: {error}",
        "house.twice": "The {what} {twin} is there twice: each needs an id of its own.",
        "house.no-such-mend": "There is no mend {id:quoted}; `handlens mends` lists them.",
        "house.station-there": "{where}: there is a station {slug} already; put its checks into a file for that one.",
        "house.no-such-station": "{where}: there is no station {slug} to add {id} to.",
        "house.keys-of-nobody": "The rule sheet {name} has keys for {id}, which no check here reads; add the house that brings it, or remove them.",
    }
)
