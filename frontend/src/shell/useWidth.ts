import { type RefObject, useLayoutEffect, useRef, useState } from 'react'

/** Width of an element, kept up to date; 0 only until it stands on the page, before anything is painted. */
export function useWidth<Element extends HTMLElement>(): [number, RefObject<Element | null>] {
  const box = useRef<Element>(null)
  const [width, setWidth] = useState(0)
  useLayoutEffect(() => {
    const element = box.current
    if (!element) return
    setWidth(Math.round(element.getBoundingClientRect().width))
    const observer = new ResizeObserver(([entry]) => setWidth(Math.round(entry!.contentRect.width)))
    observer.observe(element)
    return () => observer.disconnect()
  }, [])
  return [width, box]
}
