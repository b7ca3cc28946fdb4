"""Trial clips of a placement: throwing one away, taking its placement over into the rig."""

from fatsignal.core.mics.trial import PlacementSettings
from fatsignal.errors import InvalidSetting
from fatsignal.rig.setup import RigSetup
from fatsignal.store import history, parts, trials
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.trials import Trial


def placement_of(part: Part) -> PlacementSettings:
    """How trials of a part go."""
    return PlacementSettings.model_validate(part.placement)


async def bin_trial(conn: Connection, trial: Trial, *, binned: bool) -> None:
    """Throw a clip away, or bring it back; its audio stays where it is."""
    part = await parts.get_part(conn, trial.part_id)
    says = f"trial {trial.number} {'put into' if binned else 'taken out of'} the bin"
    async with history.act(conn, part.session_id, kind="bin", says=says, scope={"trial": [trial.id]}):
        await trials.set_binned(conn, trial.id, binned=binned)


async def choose_trial(conn: Connection, trial: Trial) -> None:
    """Put the microphones of the part's rig where they stood for a clip; takes recorded from now on carry it.

    What is not the microphones' place stays as it is now: instrument, DI, amp.
    """
    if trial.origin == "imported":
        raise InvalidSetting(f"trial {trial.number} was imported: where its microphones stood, nobody knows")
    part = await parts.get_part(conn, trial.part_id)
    then = RigSetup.model_validate(trial.rig_sheet)
    says = f"{part.name}: placement of trial {trial.number} chosen"
    async with history.act(conn, part.session_id, kind="choose trial", says=says, scope={"part": [part.id]}):
        now = await parts.get_part(conn, part.id)
        rig = RigSetup.model_validate(now.rig)
        if rig.sounding != then.sounding:
            raise InvalidSetting(
                f"trial {trial.number} was recorded before another speaker ({then.sounding}): choose that in Rig first"
            )
        chosen = rig.model_copy(update={"mics": then.mics, "room": then.room})
        await parts.set_rig(conn, part.id, RigSetup.model_validate(chosen.model_dump()).model_dump(mode="json"))
        placement = placement_of(now).model_copy(update={"chosen": trial.id})
        await parts.set_placement(conn, part.id, placement.model_dump(mode="json"))
