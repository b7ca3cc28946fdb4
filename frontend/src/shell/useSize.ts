import { type RefObject, useLayoutEffect, useRef, useState } from 'react'

/** Size of an element, kept up to date; 0 only until it stands on the page, before anything is painted. */
export function useSize<Element extends HTMLElement>(): [number, number, RefObject<Element | null>] {
  const box = useRef<Element>(null)
  const [[width, height], setSize] = useState([0, 0])
  useLayoutEffect(() => {
    const element = box.current
    if (!element) return
    const set = (size: { width: number; height: number }) => setSize([Math.round(size.width), Math.round(size.height)])
    set(element.getBoundingClientRect())
    const observer = new ResizeObserver(([entry]) => set(entry!.contentRect))
    observer.observe(element)
    return () => observer.disconnect()
  }, [])
  return [width, height, box]
}

/** Width of an element, kept up to date. */
export function useWidth<Element extends HTMLElement>(): [number, RefObject<Element | null>] {
  const [width, , box] = useSize<Element>()
  return [width, box]
}
