"""Errors as HTTP problem details (RFC 9457), each with a sentence that a guitarist understands."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from psycopg import DataError, OperationalError
from psycopg_pool import PoolTimeout
from starlette.exceptions import HTTPException

from fatsignal.errors import CannotUndo, ChangedElsewhere, ConfirmationRequired, FatSignalError, NotFound, RollRefused

DATABASE_AWAY = "the database is not reached: what is rolling goes on and is entered when it is back; try again then"


def problem(status: int, title: str, detail: str) -> JSONResponse:
    return JSONResponse(
        {"type": "about:blank", "title": title, "status": status, "detail": detail},
        status_code=status,
        media_type="application/problem+json",
    )


def answer_problems(app: FastAPI) -> None:
    """Register one handler for everything that is raised on purpose, and for what the database does."""

    @app.exception_handler(FatSignalError)
    async def refused(_: Request, error: FatSignalError) -> JSONResponse:
        match error:
            case NotFound():
                return problem(404, "Not found", str(error))
            case ConfirmationRequired():
                return problem(409, "Asks first", str(error))
            case CannotUndo():
                return problem(409, "Cannot undo", str(error))
            case ChangedElsewhere():
                return problem(412, "Changed elsewhere", str(error))
            case RollRefused():
                return problem(409, "Cannot roll", str(error))
            case _:
                return problem(422, "Refused", str(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        # What a rule of ours says is a sentence already.
        said = first.get("ctx", {}).get("error") if first["type"] == "value_error" else None
        if said is not None:
            return problem(422, "Refused", str(said))
        place = ".".join(str(part) for part in first["loc"][1:]) or str(first["loc"][0])
        return problem(422, "Refused", f"the request is not valid at {place}: {str(first['msg']).lower()}")

    @app.exception_handler(HTTPException)
    async def http(_: Request, error: HTTPException) -> JSONResponse:
        return problem(error.status_code, "Refused", str(error.detail))

    @app.exception_handler(PoolTimeout)
    @app.exception_handler(OperationalError)
    async def away(_: Request, __: Exception) -> JSONResponse:
        return problem(503, "No database", DATABASE_AWAY)

    @app.exception_handler(DataError)
    async def not_kept(_: Request, __: Exception) -> JSONResponse:
        detail = "a text holds a character that cannot be kept, or a figure is too large: type it again without"
        return problem(422, "Refused", detail)
